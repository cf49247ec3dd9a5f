import type { TrunkDetail } from "@/api/client";
import { ago } from "@/lib/time";
import { StateMark, type Tone } from "@/ui/StateMark";

type Check = TrunkDetail["checklist"][number];

const tones: Record<Check["state"], Tone> = {
  proved: "good",
  failed: "bad",
  open: "warn",
  unneeded: "soft",
};
const words: Record<Check["state"], string> = {
  proved: "verified",
  failed: "failed",
  open: "open",
  unneeded: "not needed",
};

const order: Check["state"][] = ["failed", "open", "proved", "unneeded"];

/** What must be true before the trunk is handed over: what failed or is open in sight, the rest folded. */
export function Checklist({ checks }: { checks: Check[] }) {
  const sorted = checks.toSorted((a, b) => order.indexOf(a.state) - order.indexOf(b.state));
  const left = sorted.filter((c) => c.state === "failed" || c.state === "open");
  const settled = sorted.filter((c) => !left.includes(c));
  const failed = left.filter((c) => c.state === "failed").length;
  const tone = failed > 0 ? "bad" : left.length > 0 ? "warn" : "good";
  const word = left.length === 0 ? "all verified" : `${failed} failed, ${left.length - failed} open`;
  return (
    <section className="border-b border-line p-4" aria-label="Checklist">
      <h3 className="flex gap-3">
        <span className="font-semibold">Checklist</span>
        <StateMark tone={tone} word={word} />
      </h3>
      {left.length > 0 && <Items checks={left} name="Failed and open" />}
      <details className="mt-2">
        <summary className="cursor-pointer text-soft">{settled.length} verified or not needed</summary>
        <Items checks={settled} name="Verified" />
      </details>
    </section>
  );
}

function Items({ checks, name }: { checks: Check[]; name: string }) {
  return (
    <ol className="mt-2 flex flex-col gap-2" aria-label={name}>
      {checks.map((c) => (
        <li key={c.what}>
          <div className="flex items-baseline gap-3">
            <span className="min-w-0 flex-1">{c.what}</span>
            <StateMark tone={tones[c.state]} word={words[c.state]} quiet={c.state === "proved"} />
          </div>
          <div className="text-dense break-words text-soft">
            {c.seen}
            {c.at && `, ${ago(c.at)}`}
          </div>
          {c.do && <div className="text-dense break-words">{c.do}</div>}
        </li>
      ))}
    </ol>
  );
}
