import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Power } from "lucide-react";
import type { ReactNode } from "react";
import { api, type RunningSwitch, type RunningTrunk, type StandIn, take } from "@/api/client";
import { useStandIns } from "@/api/queries";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { formSketch, stateOf } from "./state";

/** What the live plan says about a trunk, and the far end that plays it. */
export function TrunkPanel({ trunk, on }: { trunk: RunningTrunk; on: RunningSwitch }) {
  const standIns = useStandIns();
  const standIn = standIns.data?.find((s) => s.id === trunk.standIn);
  return (
    <aside className="overflow-auto border-l border-line bg-sheet" aria-label={`Trunk ${trunk.name}`}>
      <div className="border-b border-line p-4">
        <h2 className="text-lg leading-tight font-semibold break-words">{trunk.name}</h2>
        <p className="mt-1 text-soft">{trunk.farEnd.note}</p>
      </div>
      <dl className="grid grid-cols-[8rem_1fr] gap-y-1.5 border-b border-line p-4 [&>dt]:text-soft">
        <Line name="Proved">
          <StateMark {...stateOf(trunk)} />
          <div className="text-[13px] text-soft">{trunk.state.evidence}</div>
        </Line>
        <Line name="We call">
          <span className="font-mono">{trunk.address}</span>
        </Line>
        <Line name="We trust">
          {trunk.trusted.map((a) => (
            <div key={a} className="font-mono">
              {a}
            </div>
          ))}
        </Line>
        <Line name="Their calls enter">
          {trunk.entry ? `table ${trunk.entry}` : "nowhere: they may not call in"}
        </Line>
      </dl>
      <Contract trunk={trunk} on={on} />
      {standIn && <StandInPanel standIn={standIn} />}
    </aside>
  );
}

function Line({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt>{name}</dt>
      <dd className="min-w-0 break-words">{children}</dd>
    </>
  );
}

/** The number contract as a small table: what we send, what they give. */
function Contract({ trunk, on }: { trunk: RunningTrunk; on: RunningSwitch }) {
  const { called, caller } = trunk.contract;
  const rows = [
    ["home numbers", called.home, caller.home, on.sketches],
    ["foreign numbers", called.foreign, caller.foreign, on.foreignSketches],
    ["extensions", called.private, caller.private, on.sketches],
  ] as const;
  return (
    <div className="border-b border-line p-4">
      <h3 className="mb-1 font-semibold">Number contract</h3>
      <table className="w-full text-left [&_td]:py-0.5 [&_th]:font-normal [&_th]:text-soft">
        <thead>
          <tr>
            <th>from us to them</th>
            <th>called</th>
            <th>caller</th>
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
            <td>from them to us</td>
            <td className="font-mono">{formSketch(trunk.in.called, on.sketches)}</td>
            <td className="font-mono">{formSketch(trunk.in.caller, on.sketches)}</td>
          </tr>
        </tbody>
      </table>
    </div>
  );
}

/** The simulated far end: its directory, and its power switch. */
function StandInPanel({ standIn }: { standIn: StandIn }) {
  const queries = useQueryClient();
  const power = useMutation({
    mutationFn: () =>
      take(
        standIn.running
          ? api.POST("/api/standins/{id}/stop", { params: { path: { id: standIn.id } } })
          : api.POST("/api/standins/{id}/start", { params: { path: { id: standIn.id } } }),
      ),
    onSettled: () => queries.invalidateQueries({ queryKey: ["stand-ins"] }),
  });
  return (
    <div className="p-4">
      <div className="mb-2 flex items-center gap-3">
        <h3 className="font-semibold">Stand-in</h3>
        <StateMark tone={standIn.running ? "good" : "bad"} word={standIn.running ? "running" : "stopped"} />
        <Button className="ml-auto" onClick={() => power.mutate()} disabled={power.isPending}>
          <Power className="size-4" aria-hidden="true" /> {standIn.running ? "Stop" : "Start"}
        </Button>
      </div>
      {power.isError && <Failure error={power.error} />}
      <p className="mb-2 text-[13px] text-soft">
        A simulated far end with settings of its own. It takes called numbers{" "}
        <Pattern text={standIn.called} />
        {standIn.caller && (
          <>
            {" "}
            from callers <Pattern text={standIn.caller} />
          </>
        )}
        ; any other number is answered with 404{standIn.caller && ", any other caller with 403"}.
      </p>
      <table className="w-full text-[13px]">
        <caption className="sr-only">Directory of the stand-in</caption>
        <tbody>
          {standIn.directory.map((e) => (
            <tr key={e.pattern} className="border-t border-line">
              <td className="py-0.5 pr-2 font-mono">{e.pattern}</td>
              <td>{e.behaviour}</td>
            </tr>
          ))}
          <tr className="border-t border-line">
            <td className="py-0.5 pr-2">any other</td>
            <td>{standIn.otherwise}</td>
          </tr>
        </tbody>
      </table>
    </div>
  );
}

function Pattern({ text }: { text: string }) {
  return <code className="font-mono text-ink">{text || "any"}</code>;
}
