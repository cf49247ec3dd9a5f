import { Link } from "react-router";
import type { RunningCall } from "@/api/client";
import { useRunning } from "@/api/queries";
import { CallCells, OpensCall } from "@/features/calls/CallCells";
import { walkRows } from "@/lib/list";
import { elapsed, useNow } from "@/lib/time";
import { Failure, Loading } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";

const phases: Record<RunningCall["phase"], Tone> = { deciding: "draft", ringing: "road", talking: "good" };

/** The calls that run now; each leads to its decision as it happens. */
export function RunningCalls() {
  const running = useRunning();
  const now = useNow();
  return (
    <section aria-label="Calls that run" className="min-h-0 flex-1 overflow-auto border-t border-line">
      <h2 className="sticky top-0 flex items-baseline gap-3 border-b border-line bg-sunk px-4 py-1.5">
        <span className="font-semibold">Calls that run</span>
        <span className="text-soft">{running.data?.length ?? "…"}</span>
      </h2>
      {running.isPending && <Loading what="the calls that run" />}
      {running.isError && <Failure error={running.error} retry={() => running.refetch()} />}
      {running.data?.length === 0 && (
        <p className="px-4 py-2 text-soft">
          No call runs at the moment.{" "}
          <Link to="/try" className="text-road underline">
            Place a test call
          </Link>
        </p>
      )}
      {running.data && running.data.length > 0 && (
        <table className="w-full border-collapse text-left" onKeyDown={walkRows}>
          <thead>
            <tr className="border-b border-line text-[13px] text-soft [&>th]:px-3 [&>th]:py-1 [&>th]:font-normal">
              <th>State</th>
              <th className="text-right">For</th>
              <th>From</th>
              <th>Caller</th>
              <th>Dialled</th>
              <th>Left as</th>
              <th>By</th>
              <th>Codec</th>
              <th>Sound to</th>
            </tr>
          </thead>
          <tbody>
            {running.data.map((c) => (
              <Row key={c.id} call={c} now={now} />
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function Row({ call, now }: { call: RunningCall; now: number }) {
  const far = call.legs.at(-1);
  return (
    <OpensCall id={call.id}>
      <td>
        <StateMark tone={phases[call.phase]} word={call.phase} />
      </td>
      <td className="text-right font-mono text-[13px]">
        {elapsed(now - new Date(call.answered ?? call.started).getTime())}
      </td>
      <CallCells call={call} notLeft="not left yet" />
      <td className="max-w-40 truncate">{call.trunkOut}</td>
      <td className="font-mono text-[13px]">{call.phase === "deciding" ? "" : far?.media?.codec}</td>
      <td className="font-mono text-[13px]">{call.phase === "deciding" ? "" : far?.media?.address}</td>
    </OpensCall>
  );
}
