import { Link } from "react-router";
import type { RunningCall } from "@/api/client";
import { useRunning } from "@/api/queries";
import { CallCells, OpensCall } from "@/features/calls/CallCells";
import { walkRows } from "@/lib/list";
import { elapsed, useNow } from "@/lib/time";
import { Failure, Loading } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";

const phaseWords: Record<RunningCall["phase"], string> = {
  deciding: "routing",
  ringing: "ringing",
  talking: "connected",
};

const phases: Record<RunningCall["phase"], Tone> = { deciding: "draft", ringing: "road", talking: "good" };

/** The active calls, as a view or as a list beside the network; each leads to its decision as it happens. */
export function RunningCalls({ beside }: { beside?: boolean }) {
  const running = useRunning();
  const now = useNow();
  return (
    <section
      aria-label="Active calls"
      className={`overflow-auto border-t border-line ${beside ? "max-h-[45%] shrink-0" : "min-h-0 flex-1"}`}
    >
      <h2 className="sticky top-0 flex items-baseline gap-3 border-b border-line bg-sunk px-4 py-1.5">
        <span className="font-semibold">Active calls</span>
        <span className="text-soft">{running.data?.length ?? "…"}</span>
      </h2>
      {running.isPending && <Loading what="active calls" />}
      {running.isError && <Failure error={running.error} retry={() => running.refetch()} />}
      {running.data?.length === 0 && (
        <p className="px-4 py-2 text-soft">
          No active calls.{" "}
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
              <th className="text-right">Duration</th>
              <th>Inbound trunk</th>
              <th>Calling</th>
              <th>Called in</th>
              <th>Called out</th>
              <th>Outbound trunk</th>
              <th>Codec</th>
              <th>Media to</th>
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
        <StateMark tone={phases[call.phase]} word={phaseWords[call.phase]} />
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
