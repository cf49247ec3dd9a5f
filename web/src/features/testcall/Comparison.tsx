import type { Try } from "@/api/client";
import { Trail } from "@/features/trail/Trail";
import { StateMark } from "@/ui/StateMark";

type Result = NonNullable<Try["result"]>;

/** The same call by the live plan and by the draft, side by side. */
export function Comparison({ live, draft }: { live: Result; draft: Result }) {
  const rows = [
    ["outcome", live.outcome, draft.outcome],
    ["cause", cause(live), cause(draft)],
    ["rules", rules(live), rules(draft)],
    ["trunks tried", trunks(live), trunks(draft)],
    ["called, as it left", live.called, draft.called],
    ["caller, as it left", live.caller, draft.caller],
  ] as const;
  const same = rows.every(([, a, b]) => a === b);
  return (
    <div className="flex flex-col gap-4" aria-live="polite">
      <div className="flex items-center gap-4">
        <h2 className="text-title font-semibold">Live plan and draft</h2>
        {same ? (
          <StateMark tone="good" word="both do the same with this call" />
        ) : (
          <StateMark tone="warn" word="the draft does something else with this call" />
        )}
      </div>
      <table className="w-full max-w-5xl border-collapse text-left">
        <thead>
          <tr className="text-dense text-soft">
            <th />
            <th className="px-3 py-1 font-normal">live plan</th>
            <th className="px-3 py-1 font-normal">draft</th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([what, a, b]) => (
            <tr key={what} className={`border-t border-line ${a === b ? "" : "bg-warn-wash"}`}>
              <th scope="row" className="w-44 py-1 pr-3 pl-2 text-dense font-normal text-soft">
                {what}
              </th>
              <td className="px-3 py-1 font-mono">{a || "none"}</td>
              <td className="px-3 py-1 font-mono">
                {b || "none"}
                {a !== b && <span className="ml-2 font-sans text-dense text-warn">differs</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="flex flex-wrap gap-10">
        <figure>
          <figcaption className="mb-1 font-semibold">{same ? "By both" : "By the live plan"}</figcaption>
          <Trail steps={live.steps} />
        </figure>
        {!same && (
          <figure>
            <figcaption className="mb-1 font-semibold">By the draft</figcaption>
            <Trail steps={draft.steps} />
          </figure>
        )}
      </div>
    </div>
  );
}

const cause = (r: Result) => (r.outcome === "answered" ? "" : `${r.cause.q850}, ${r.cause.sip}`);

const rules = (r: Result) =>
  r.steps.flatMap((s) => (s.lookedUp?.winner ? [s.lookedUp.winner.name] : [])).join(", then ");

const trunks = (r: Result) =>
  r.attempts.map((a) => (a.skipped ? `(${a.trunk}: ${a.reason})` : a.trunk)).join(", ");
