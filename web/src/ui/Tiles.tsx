import type { Run } from "@/api/client";

/**
 * A number in flight as a row of digit tiles: unchanged ones plain, dropped
 * ones struck and sunk, added ones raised with a notch. The same everywhere.
 */
export function Tiles({ runs, size = "md" }: { runs: Run[]; size?: "sm" | "md" }) {
  let place = 0;
  return (
    <span className="inline-flex shrink-0 items-end font-mono" role="img" aria-label={spoken(runs)}>
      {runs.map((run) => {
        const at = place;
        place += run.text.length;
        return [...run.text].map((symbol, i) => (
          <span key={`${at + i}`} className={`${tile[run.fate]} ${sizes[size]}`} data-fate={run.fate}>
            {symbol}
          </span>
        ));
      })}
    </span>
  );
}

/** A number that nothing changes. */
export function NumberTiles({ number, size }: { number: string; size?: "sm" | "md" }) {
  if (number === "") {
    return <span className="text-soft italic">no digits</span>;
  }
  return <Tiles runs={[{ text: number, fate: "kept" }]} size={size} />;
}

const sizes = { sm: "h-5 w-[1.1em] text-dense", md: "h-6 w-[1.15em] text-body" };

const base =
  "inline-grid place-items-center leading-none border-y border-r first:border-l first:rounded-l-[3px] last:rounded-r-[3px] ";

const tile = {
  kept: `${base} bg-sheet border-edge text-ink`,
  dropped: `${base} bg-sunk border-edge text-soft line-through decoration-2 decoration-bad translate-y-[3px]`,
  added: `${base} bg-added-wash border-added border-t-[3px] text-added font-semibold -translate-y-[3px] [clip-path:polygon(0_0,32%_0,50%_4px,68%_0,100%_0,100%_100%,0_100%)]`,
} as const;

function spoken(runs: Run[]): string {
  return runs.map((r) => (r.fate === "kept" ? r.text : `${r.fate} ${r.text},`)).join(" ");
}
