import { Link } from "react-router";
import type { Plan, RunningSwitch, TrunkDetail } from "@/api/client";
import { useKinds } from "@/features/plan/kinds";
import { Users } from "@/features/plan/Users";
import { formSketch } from "./state";

/** How calls come in and go out by a trunk: tables, paths, number formats, and what an inbound call can reach. */
export function RoutingSection({ trunk, on, plan }: { trunk: TrunkDetail; on: RunningSwitch; plan: Plan }) {
  const kind = useKinds().find((k) => k.field === "trunks");
  const table = plan.tables.find((t) => t.name === trunk.inboundTable && t.switch === trunk.switch);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-x-8 gap-y-6 p-4">
      <section aria-label="Inbound">
        <h2 className="mb-1 font-semibold">Inbound</h2>
        {table ? (
          <p>
            Table{" "}
            <Link to={`/routing/${table.id}`} className="text-road underline-offset-2 hover:underline">
              {table.name}
            </Link>
            <span className="text-soft">, {table.rules.length} rules</span>
          </p>
        ) : (
          <p className="text-soft">
            {trunk.inboundTable ? `table ${trunk.inboundTable}` : "No inbound calls."}
          </p>
        )}
      </section>
      {kind && <Users kind={kind} id={trunk.id} plan={plan} />}
      <Contract trunk={trunk} on={on} />
      <Exposure trunk={trunk} />
    </div>
  );
}

/** The number contract as a small table: what we send, what they give. */
function Contract({ trunk, on }: { trunk: TrunkDetail; on: RunningSwitch }) {
  const { called, caller } = trunk.contract;
  const rows = [
    ["domestic numbers", called.domestic, caller.domestic, on.sketches],
    ["international numbers", called.international, caller.international, on.internationalSketches],
    ["extensions", called.extension, caller.extension, on.sketches],
  ] as const;
  return (
    <section aria-label="Number contract">
      <h2 className="mb-1 font-semibold">Number contract</h2>
      <table className="w-full text-left [&_td]:py-1 [&_th]:font-normal [&_th]:text-soft">
        <thead>
          <tr>
            <th>outbound</th>
            <th>called</th>
            <th>calling</th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([kind, to, by, sketches]) => (
            <tr key={kind}>
              <td>{kind}</td>
              <td className="font-mono">{formSketch(to, sketches)}</td>
              <td className="font-mono">{formSketch(by, sketches)}</td>
            </tr>
          ))}
          <tr className="border-t border-line">
            <td>inbound</td>
            <td className="font-mono">{formSketch(trunk.in.calledFormat, on.sketches)}</td>
            <td className="font-mono">{formSketch(trunk.in.callerFormat, on.sketches)}</td>
          </tr>
        </tbody>
      </table>
    </section>
  );
}

/** The outside trunks that a call from here can reach. */
function Exposure({ trunk }: { trunk: TrunkDetail }) {
  return (
    <section aria-label="Exposure">
      <h2 className="mb-1 font-semibold">Exposure</h2>
      {trunk.exposure.length === 0 ? (
        <p className="text-soft">No inbound call reaches an outside trunk.</p>
      ) : (
        <>
          <p className="text-dense text-soft">Inbound calls can reach, at your cost:</p>
          <ul className="mt-1 flex flex-col gap-1">
            {trunk.exposure.map((e) => (
              <li key={e.trunk.id}>
                <Link to={`/trunks/${e.trunk.id}`} className="text-road underline-offset-2 hover:underline">
                  {e.farEnd.name}
                </Link>
                <span className="text-dense text-soft">
                  , by rule {e.by.map((r) => r.name).join(", then ")}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
