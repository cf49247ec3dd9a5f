import { useState } from "react";
import { Link } from "react-router";
import type { Impact, Plan } from "@/api/client";
import { useZone } from "@/api/queries";
import { Trail } from "@/features/trail/Trail";
import { dayAndClock } from "@/lib/time";
import { differenceIn } from "@/parts/difference";
import { Digits } from "@/ui/Digits";
import { StateMark } from "@/ui/StateMark";

/** What a draft changes, before it goes live. */
export function Before({ impact: r, plan }: { impact: Impact; plan?: Plan }) {
  const name = (trunk: string) => plan?.trunks.find((t) => t.id === trunk)?.name ?? trunk;
  return (
    <section id="impact" aria-label="Impact" className="border-b border-line">
      <h2 className="border-b border-line bg-sunk px-4 py-1">
        <span className="font-semibold">Impact</span>{" "}
        {r.worth === 0 ? (
          <StateMark tone="good" word="no findings" />
        ) : (
          <StateMark tone="warn" word={`${r.worth} ${r.worth === 1 ? "finding" : "findings"}`} />
        )}
      </h2>
      <Checks checks={r.checks} plan={plan} />
      <Past past={r.replayed} name={name} />
      <Away away={r.trunkFailures} calls={r.calls} />
    </section>
  );
}

function Checks({ checks, plan }: { checks: Impact["checks"]; plan?: Plan }) {
  return (
    <div className="px-4 py-2">
      <h3 className="font-semibold">Checks</h3>
      {checks.failed.length === 0 ? (
        <StateMark tone="good" word={`all ${checks.passed} pass`} />
      ) : (
        <>
          <StateMark tone="bad" word={`${checks.failed.length} fail, ${checks.passed} pass`} />
          <div className="max-h-72 overflow-auto">
            <table className="w-full text-left text-dense [&_td]:py-1 [&_td]:pr-4 [&_th]:pr-4 [&_th]:font-normal [&_th]:text-soft">
              <thead>
                <tr>
                  <th scope="col">Check</th>
                  <th scope="col">Value</th>
                  <th scope="col">Expected</th>
                  <th scope="col">Actual</th>
                </tr>
              </thead>
              <tbody>
                {checks.failed.flatMap((c) =>
                  c.differences
                    .map((d) => differenceIn(d, plan))
                    .map((d, i) => (
                      <tr key={`${c.id} ${d.what}`} className="border-t border-line align-top">
                        <td>
                          {i === 0 && (
                            <Link to="/checks" className="text-road underline-offset-2 hover:underline">
                              {c.name}
                            </Link>
                          )}
                        </td>
                        <td>{d.what}</td>
                        <td className="font-mono break-words">{d.expected}</td>
                        <td className="font-mono break-words text-bad">{d.actual}</td>
                      </tr>
                    )),
                )}
              </tbody>
            </table>
          </div>
        </>
      )}
    </div>
  );
}

type Group = Impact["replayed"]["groups"][number];

const whats: Record<Group["what"], string> = {
  refused: "rejected",
  "put-through": "answered, not before",
  elsewhere: "routed differently",
  "other-called": "different called number",
  "other-caller": "different calling number",
  "other-outcome": "different outcome",
};

function Past({ past, name }: { past: Impact["replayed"]; name: (trunk: string) => string }) {
  return (
    <div className="border-t border-line px-4 py-2">
      <h3 className="font-semibold">Replayed calls</h3>
      {past.decided === 0 ? (
        <p className="text-soft">No calls to replay.</p>
      ) : (
        <p className="text-dense text-soft">
          {past.same} of {past.decided} unchanged
          {past.left > 0 && `; ${past.left} not replayed (straight test calls, forwarded calls)`}.
        </p>
      )}
      <ul>
        {past.groups.map((g) => (
          <PastGroup key={`${g.what} ${g.from} ${g.before} ${g.after}`} group={g} name={name} />
        ))}
      </ul>
    </div>
  );
}

function PastGroup({ group: g, name }: { group: Group; name: (trunk: string) => string }) {
  const zone = useZone();
  const [shown, setShown] = useState<string>();
  return (
    <li className="border-t border-line py-1">
      <details>
        <summary>
          <StateMark
            tone={g.what === "refused" ? "bad" : "warn"}
            word={`${g.count} ${g.count === 1 ? "call" : "calls"} from ${name(g.from)}: ${whats[g.what]}`}
          />{" "}
          <span className="text-dense text-soft">
            {name(g.before)} → {name(g.after)}
          </span>
        </summary>
        <ul className="pl-5">
          {g.calls.map((c) => (
            <li key={c.id}>
              <button
                type="button"
                className="flex gap-3 rounded-[3px] px-1 text-left hover:bg-road-wash"
                aria-expanded={shown === c.id}
                onClick={() => setShown(shown === c.id ? undefined : c.id)}
              >
                <span className="text-dense text-soft">{dayAndClock(c.started, zone())}</span>
                <Digits number={c.caller || "no number"} />
                <span className="text-soft">to</span>
                <Digits number={c.called || "no digits"} />
              </button>
              {shown === c.id && (
                <div className="flex flex-wrap gap-6 border-l-4 border-draft-wash py-2 pl-3">
                  <div>
                    <h4 className="mb-1 font-semibold">Live</h4>
                    <Trail steps={c.happened.steps} />
                  </div>
                  <div>
                    <h4 className="mb-1 font-semibold">Draft</h4>
                    <Trail steps={c.would.steps} />
                  </div>
                </div>
              )}
            </li>
          ))}
        </ul>
      </details>
    </li>
  );
}

function Away({ away, calls }: { away: Impact["trunkFailures"]; calls: number }) {
  const losing = away.filter((a) => a.lost.length > 0);
  const fresh = (a: Impact["trunkFailures"][number]) => a.lost.filter((l) => l.new).length;
  return (
    <div className="border-t border-line px-4 py-2">
      <h3 className="font-semibold">Single-trunk failure</h3>
      <p className="text-dense text-soft">
        {calls} calls of checks and records.{" "}
        {losing.length === 0
          ? `No call loses its route without one of the ${away.length} trunks.`
          : `Calls lose their route without one of ${losing.length} of ${away.length} trunks.`}
      </p>
      <ul>
        {losing.map((a) => (
          <li key={a.trunk.id} className="border-t border-line py-1">
            <details>
              <summary>
                <span className="font-semibold">{a.trunk.name}</span>{" "}
                {fresh(a) > 0 ? (
                  <StateMark tone="bad" word={`${fresh(a)} newly without route`} />
                ) : (
                  <StateMark tone="soft" word="as live" />
                )}{" "}
                <span className="ml-2 text-dense text-soft">
                  {a.lost.length} of {a.uses} without route, {a.moved} rerouted
                  {a.lost.some((l) => l.emergency) && ", including emergency calls"}
                </span>
              </summary>
              <ul className="max-h-56 overflow-auto pl-5">
                {a.lost.map((l) => (
                  <li
                    key={`${l.name} ${l.from} ${l.called} ${l.caller}`}
                    className="flex flex-wrap gap-x-3 text-dense"
                  >
                    {l.new && <StateMark tone="bad" word="new" />}
                    {l.emergency && <StateMark tone="bad" word="emergency" />}
                    <span>{l.name}</span>
                    <span className="font-mono text-soft">{l.called || "no digits"}</span>
                    <span className="text-soft">{l.why}</span>
                  </li>
                ))}
              </ul>
            </details>
          </li>
        ))}
      </ul>
    </div>
  );
}
