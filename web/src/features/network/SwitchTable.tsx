import { Link } from "react-router";
import type { Network, RunningTrunk } from "@/api/client";
import { groupOf, groups, stateOf } from "@/features/trunks/state";
import { Meter } from "@/ui/Meter";
import { StateMark } from "@/ui/StateMark";
import { badAt } from "./fold";

const severity = Object.keys(groups);

interface Props {
  network: Network;
  closed: Set<string>;
  onToggle: (id: string) => void;
}

/** The network as a table: a section a switch, the worst first, and in it the worst trunk first. */
export function SwitchTable({ network: { switches, trunks }, closed, onToggle }: Props) {
  const ordered = [...switches].sort((a, b) => badAt(trunks, b.id) - badAt(trunks, a.id));
  return (
    <div>
      {ordered.map((s) => {
        const own = trunks
          .filter((t) => t.switch === s.id)
          .sort((a, b) => severity.indexOf(groupOf(a)) - severity.indexOf(groupOf(b)));
        const bad = badAt(trunks, s.id);
        return (
          <section key={s.id} aria-label={`Switch ${s.name}`}>
            <h2 className="border-b border-line bg-sunk">
              <button
                type="button"
                aria-expanded={!closed.has(s.id)}
                className="flex w-full items-baseline gap-3 px-4 py-1 text-left hover:bg-road-wash"
                onClick={() => onToggle(s.id)}
              >
                <span aria-hidden="true" className="w-3 font-mono text-soft">
                  {closed.has(s.id) ? "+" : "−"}
                </span>
                <span className="font-semibold">{s.name}</span>
                <span className="font-mono text-dense text-soft">{s.address}</span>
                <span className="ml-auto text-dense text-soft">
                  {own.length} {own.length === 1 ? "trunk" : "trunks"}, {own.reduce((n, t) => n + t.inUse, 0)}{" "}
                  calls
                </span>
                {bad > 0 && <StateMark tone="bad" word={`${bad} not available`} />}
              </button>
            </h2>
            {!closed.has(s.id) && <Trunks list={own} />}
          </section>
        );
      })}
    </div>
  );
}

function Trunks({ list }: { list: RunningTrunk[] }) {
  if (list.length === 0) return <p className="px-4 py-1 text-soft">No trunk.</p>;
  return (
    <table className="w-full table-fixed text-left">
      <thead className="sr-only">
        <tr>
          <th>Trunk</th>
          <th>State</th>
          <th>Far end</th>
          <th>Kind</th>
          <th>Calls in</th>
          <th>Calls out</th>
          <th>Channels</th>
        </tr>
      </thead>
      <tbody>
        {list.map((t) => (
          <tr key={t.id} className="h-7 border-b border-line hover:bg-road-wash [&>td]:truncate [&>td]:px-4">
            <td>
              <Link to={`/trunks/${t.id}`} className="font-semibold underline-offset-2 hover:underline">
                {t.name}
              </Link>
            </td>
            <td title={t.state.evidence}>
              <StateMark {...stateOf(t)} quiet={groupOf(t) === "well"} />
            </td>
            <td>{t.farEnd.name}</td>
            <td className="text-soft">{t.farEnd.kind.replace("-", " ")}</td>
            <td className="text-right font-mono text-dense">in {t.calls.in}</td>
            <td className="text-right font-mono text-dense">out {t.calls.out}</td>
            <td className="text-right">
              <span className="inline-flex items-center gap-2">
                <Meter used={t.inUse} all={t.channels} label="channels in use" />
                <span className="min-w-12 font-mono text-dense">
                  {t.inUse}/{t.channels}
                </span>
              </span>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
