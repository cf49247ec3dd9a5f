import { ArrowLeft, Download, RotateCw } from "lucide-react";
import { Link, useParams } from "react-router";
import { useCall, useZone } from "@/api/queries";
import { Explanation } from "@/features/trail/Explanation";
import { CallSound } from "@/features/trail/Sound";
import { dayAndClock, elapsed, useNow } from "@/lib/time";
import { Digits } from "@/ui/Digits";
import { Failure, Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { outcomeOf } from "./outcome";

/** The call is going on: what is shown grows as it does. */
function RunsNow({ since, talking }: { since: string; talking: boolean }) {
  const now = useNow();
  return (
    <span role="status" className="rounded-[3px] bg-added-wash px-2">
      <StateMark
        tone="road"
        word={`${talking ? "connected" : "routing"} for ${elapsed(now - new Date(since).getTime())}`}
      />
    </span>
  );
}

/** One call, explained. */
export function CallView() {
  const zone = useZone();
  const { id = "" } = useParams();
  const call = useCall(id);
  if (call.isPending) return <Loading what="the call" />;
  if (!call.data) return <Failure error={call.error} retry={() => call.refetch()} />;
  const c = call.data;
  const again = new URLSearchParams({ from: c.legs[0]?.trunk ?? "", caller: c.caller, dial: c.calledIn });
  return (
    <div className="p-4">
      <div className="mb-4 flex flex-wrap items-baseline gap-4">
        <Link
          to="/calls"
          className="inline-flex items-center gap-1 text-road underline-offset-2 hover:underline"
        >
          <ArrowLeft className="size-4" aria-hidden="true" /> Calls
        </Link>
        <h1 className="text-title font-semibold">
          {c.trunkIn}, <Digits number={c.caller || "no number"} /> dialled{" "}
          <Digits number={c.calledIn || "no digits"} />
        </h1>
        {c.running && <RunsNow since={c.answered ?? c.started} talking={c.answered !== undefined} />}
        {!c.running && <StateMark {...outcomeOf(c)} />}
        {c.why && <span>{c.why}</span>}
        <span className="text-soft">
          {dayAndClock(c.started, zone(c.switch))},{" "}
          {c.trial ? "decided by the trial" : `decided by revision ${c.revision}`}
          {c.release && `, ${c.release}`}
        </span>
        <Link
          to={`/test-call?${again}`}
          className="inline-flex items-center gap-1 text-road underline-offset-2 hover:underline"
        >
          <RotateCw className="size-4" aria-hidden="true" /> Repeat as test call
        </Link>
        <a
          href={`/api/calls/${c.id}/capture`}
          download={`call-${c.id}.pcapng`}
          className="inline-flex items-center gap-1 text-road underline-offset-2 hover:underline"
        >
          <Download className="size-4" aria-hidden="true" /> Messages as pcapng
        </a>
      </div>
      {c.joined.length > 0 && (
        <p className="mb-4 flex flex-wrap items-baseline gap-x-4 gap-y-1">
          <span className="text-soft">The same call on other switches:</span>
          {c.joined.map((other) => (
            <Link
              key={other.id}
              to={`/calls/${other.id}`}
              className="text-road underline-offset-2 hover:underline"
            >
              {other.switch}: by {other.trunkIn}, <Digits number={other.calledIn || "no digits"} /> dialled
            </Link>
          ))}
        </p>
      )}
      <CallSound legs={c.legs} steps={c.result.steps} />
      <Explanation call={c} />
    </div>
  );
}
