import type { Mapped, NumberEffect } from "@/api/client";
import { Button } from "@/ui/controls";
import { StateMark, type Tone } from "@/ui/StateMark";

interface Props {
  effect: NumberEffect;
  size: number;
  onTake: (extension: string) => void;
}

/** Where each number of a row lands, member by member. */
export function Landing({ effect, onTake }: Props) {
  const { mapped, mapFault } = effect;
  if (!mapped && !mapFault) return null;
  return (
    <section aria-label="Block mapping" className="mt-3 border-t-2 border-line pt-2">
      <h3 className="font-semibold">Block mapping</h3>
      {mapFault && <StateMark tone="bad" wrap word={mapFault} />}
      {mapped && <MappedView mapped={mapped} onTake={onTake} />}
    </section>
  );
}

const runTone: Record<Mapped["runs"][number]["state"], Tone> = {
  lands: "good",
  taken: "draft",
  "not-there": "bad",
  fails: "bad",
};

const runWord: Record<Mapped["runs"][number]["state"], string> = {
  lands: "there",
  taken: "exists, used",
  "not-there": "no extension",
  fails: "cannot be mapped",
};

/** What a mapping comes to, in runs, and the arithmetic that would be right. */
export function MappedView({
  mapped: m,
  onTake,
}: {
  mapped: Mapped;
  onTake: (first: string, last: string) => void;
}) {
  return (
    <>
      <p className="mb-1">
        {m.right ? (
          <StateMark
            tone="good"
            word={
              m.members === 1
                ? "Mapped to its own extension."
                : `All ${m.members} mapped, each to its own extension.`
            }
          />
        ) : (
          <StateMark tone={m.landing === m.members ? "draft" : "bad"} wrap word={verdict(m)} />
        )}
      </p>
      <ul className="@container max-h-44 overflow-auto border-t border-line" aria-label="Runs of the block">
        {m.runs.map((r) => (
          <li
            key={r.from}
            className="grid grid-cols-[minmax(0,1fr)_9rem] items-baseline gap-x-3 border-b border-line py-1 @md:grid-cols-[minmax(0,1fr)_auto_minmax(0,1fr)_minmax(0,13rem)]"
          >
            <span className="truncate font-mono text-dense">
              {r.from}
              {r.count > 1 && ` – ${r.to.slice(-4)}`}
            </span>
            <span className="text-dense text-soft">{r.count}</span>
            <span className="truncate font-mono text-dense">
              {r.lands || "–"}
              {r.count > 1 && r.landsLast && ` – ${r.landsLast}`}
            </span>
            <span className="min-w-0">
              <StateMark tone={runTone[r.state]} word={runWord[r.state]} />
              {(r.clash || r.elsewhere || r.why) && (
                <span className="block truncate text-dense text-soft" title={r.clash || r.elsewhere || r.why}>
                  {r.clash ? `by ${r.clash}` : r.elsewhere ? `would reach ${r.elsewhere}` : r.why}
                </span>
              )}
            </span>
          </li>
        ))}
      </ul>
      {!m.right && m.offers.length > 0 && (
        <div className="mt-1">
          <p className="text-dense text-soft">
            {m.members === 1 ? "Free extensions:" : "Mappings that reach existing extensions:"}
          </p>
          <ul className="mt-1 flex flex-wrap gap-2">
            {m.offers.map((o) => (
              <li key={o.first}>
                <Button className="h-7 font-mono" onClick={() => onTake(o.first, o.last)}>
                  {m.members === 1 ? o.first : `${o.first} – ${o.last}`}
                  <span className="font-sans text-dense text-soft">
                    {o.free ? "free" : "taken"}
                    {o.off !== 0 && `, ${Math.abs(o.off)} ${o.off > 0 ? "lower" : "higher"}`}
                  </span>
                </Button>
              </li>
            ))}
          </ul>
        </div>
      )}
    </>
  );
}

function verdict(m: Mapped): string {
  const parts = [`${m.landing} of ${m.members} mapped to an existing extension`];
  if (m.notThere > 0) parts.push(`${m.notThere} to none`);
  if (m.taken > 0) parts.push(`${m.taken} used by another number`);
  if (m.failing > 0) parts.push(`${m.failing} cannot be mapped`);
  if (m.landing === m.members && m.taken === 0) parts.push("duplicates");
  return parts.join(", ");
}
