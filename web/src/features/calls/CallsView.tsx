import { Link } from "react-router";
import type { CallSummary } from "@/api/client";
import { useCalls, useZone } from "@/api/queries";
import { walkRows } from "@/lib/list";
import { dayAndClock, seconds } from "@/lib/time";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { CallCells, OpensCall } from "./CallCells";
import { outcomeOf } from "./outcome";

export function CallsView() {
  const calls = useCalls();
  if (calls.isPending) return <Loading what="the calls" />;
  if (!calls.data) return <Failure error={calls.error} retry={() => calls.refetch()} />;
  if (calls.data.length === 0) {
    return (
      <Empty
        action={
          <Link className="text-road underline" to="/try">
            Place a test call
          </Link>
        }
      >
        No call records yet.
      </Empty>
    );
  }
  return (
    <table className="w-full border-collapse text-left" onKeyDown={walkRows}>
      <thead className="sticky top-0 bg-sunk">
        <tr className="border-b border-line text-[13px] text-soft [&>th]:px-3 [&>th]:py-1.5 [&>th]:font-normal">
          <th>Time</th>
          <th>From</th>
          <th>Caller</th>
          <th>Dialled</th>
          <th>Called out</th>
          <th>By</th>
          <th>Outcome</th>
          <th className="text-right">Length</th>
        </tr>
      </thead>
      <tbody>
        {calls.data.map((c) => (
          <CallRow key={c.id} call={c} />
        ))}
      </tbody>
    </table>
  );
}

function CallRow({ call }: { call: CallSummary }) {
  const zone = useZone();
  return (
    <OpensCall id={call.id}>
      <td className="font-mono text-[13px] whitespace-nowrap">
        {dayAndClock(call.started, zone(call.switch))}
      </td>
      <CallCells call={call} notLeft="not sent" />
      <td className="max-w-40 truncate">
        {call.trunkOut}
        {call.attempts > 1 && <span className="text-soft"> (try {call.attempts})</span>}
      </td>
      <td>
        <StateMark {...outcomeOf(call)} title={call.why} />
      </td>
      <td className="text-right font-mono text-[13px]">{length(call)}</td>
    </OpensCall>
  );
}

function length(call: CallSummary): string {
  if (!call.answered || !call.ended) return "";
  return seconds(new Date(call.ended).getTime() - new Date(call.answered).getTime());
}
