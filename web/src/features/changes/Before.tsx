import { useState } from "react";
import { Link } from "react-router";
import type { Plan, Rehearsal } from "@/api/client";
import { useZone } from "@/api/queries";
import { Trail } from "@/features/trail/Trail";
import { dayAndClock } from "@/lib/time";
import { StateMark } from "@/ui/StateMark";

/** What a draft was found to do when it was rehearsed, before it goes live. */
export function Before({ rehearsal: r, plan }: { rehearsal: Rehearsal; plan?: Plan }) {
  const name = (trunk: string) => plan?.trunks.find((t) => t.id === trunk)?.name ?? trunk;
  return (
    <section aria-label="Rehearsal" className="border-b border-line">
      <h2 className="border-b border-line bg-sunk px-4 py-1.5">
        <span className="font-semibold">Rehearsed</span>{" "}
        {r.worth === 0 ? (
          <StateMark tone="good" word="nothing stands against it" />
        ) : (
          <StateMark tone="draft" word={`${r.worth} ${r.worth === 1 ? "thing" : "things"} worth a look`} />
        )}
      </h2>
      <Checks checks={r.checks} />
      <Past past={r.replayed} name={name} />
      <Away away={r.trunkFailures} calls={r.calls} />
    </section>
  );
}

function Checks({ checks }: { checks: Rehearsal["checks"] }) {
  return (
    <div className="px-4 py-2">
      <h3 className="font-semibold">Checks on the draft</h3>
      {checks.failed.length === 0 ? (
        <StateMark tone="good" word={`all ${checks.passed} pass`} />
      ) : (
        <>
          <StateMark tone="bad" word={`${checks.failed.length} fail, ${checks.passed} pass`} />
          <ul className="max-h-48 overflow-auto">
            {checks.failed.map((c) => (
              <li key={c.id} className="flex flex-wrap gap-x-3">
                <Link to="/checks" className="text-road underline-offset-2 hover:underline">
                  {c.name}
                </Link>
                {c.differences.map((d) => (
                  <span key={d.what} className="text-[13px] text-bad">
                    {d.what}: wanted <span className="font-mono">{d.expected}</span>, came{" "}
                    <span className="font-mono">{d.actual || "none"}</span>
                  </span>
                ))}
              </li>
            ))}
          </ul>
        </>
      )}
    </div>
  );
}

type Group = Rehearsal["replayed"]["groups"][number];

const whats: Record<Group["what"], string> = {
  refused: "would be refused",
  "put-through": "would be put through, and were not",
  elsewhere: "would go elsewhere",
  "other-called": "would call another number",
  "other-caller": "would show another number",
  "other-outcome": "would end otherwise",
};

function Past({ past, name }: { past: Rehearsal["replayed"]; name: (trunk: string) => string }) {
  return (
    <div className="border-t border-line px-4 py-2">
      <h3 className="font-semibold">Calls that really happened, decided again</h3>
      {past.decided === 0 ? (
        <p className="text-soft">No call happened yet that could be decided again.</p>
      ) : (
        <p className="text-[13px] text-soft">
          {past.same} of the last {past.decided} would go as they do now
          {past.left > 0 &&
            `; ${past.left} cannot be decided again (test calls, and those that a far end sent on)`}
          .
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
            tone={g.what === "refused" ? "bad" : "draft"}
            word={`${g.count} ${g.count === 1 ? "call" : "calls"} by ${name(g.from)} ${whats[g.what]}`}
          />{" "}
          <span className="text-[13px] text-soft">
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
                <span className="text-[13px] text-soft">{dayAndClock(c.started, zone())}</span>
                <span className="font-mono">{c.caller || "no number"}</span>
                <span className="text-soft">to</span>
                <span className="font-mono">{c.called || "no digits"}</span>
              </button>
              {shown === c.id && (
                <div className="flex flex-wrap gap-6 border-l-4 border-draft-wash py-2 pl-3">
                  <div>
                    <h4 className="mb-1 font-semibold">What happened</h4>
                    <Trail steps={c.happened.steps} />
                  </div>
                  <div>
                    <h4 className="mb-1 font-semibold">What the draft would do</h4>
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

function Away({ away, calls }: { away: Rehearsal["trunkFailures"]; calls: number }) {
  const losing = away.filter((a) => a.lost.length > 0);
  const fresh = (a: Rehearsal["trunkFailures"][number]) => a.lost.filter((l) => l.new).length;
  return (
    <div className="border-t border-line px-4 py-2">
      <h3 className="font-semibold">With each trunk away in turn</h3>
      <p className="text-[13px] text-soft">
        {calls} calls, of the checks and of those that happened.{" "}
        {losing.length === 0
          ? `All find a way without any one of the ${away.length} trunks.`
          : `Some find none without ${losing.length} of the ${away.length} trunks.`}
      </p>
      <ul>
        {losing.map((a) => (
          <li key={a.trunk.id} className="border-t border-line py-1">
            <details>
              <summary>
                <span className="font-semibold">{a.trunk.name}</span>{" "}
                {fresh(a) > 0 ? (
                  <StateMark tone="bad" word={`${fresh(a)} newly find no way`} />
                ) : (
                  <StateMark tone="soft" word="as it is live" />
                )}{" "}
                <span className="ml-2 text-[13px] text-soft">
                  {a.lost.length} of {a.uses} lost, {a.moved} go by another
                  {a.lost.some((l) => l.emergency) && ", emergency calls among them"}
                </span>
              </summary>
              <ul className="max-h-56 overflow-auto pl-5">
                {a.lost.map((l) => (
                  <li
                    key={`${l.name} ${l.from} ${l.called} ${l.caller}`}
                    className="flex flex-wrap gap-x-3 text-[13px]"
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
