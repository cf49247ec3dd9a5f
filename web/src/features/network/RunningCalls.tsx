import { Link, useNavigate } from "react-router";
import type { RunningCall } from "@/api/client";
import { useRunning } from "@/api/queries";
import { walkRows } from "@/lib/list";
import { elapsed, useNow } from "@/lib/time";
import { Failure, Loading } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";
import { NumberTiles } from "@/ui/Tiles";

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
  const navigate = useNavigate();
  const open = () => navigate(`/calls/${call.id}`);
  const far = call.legs.at(-1);
  return (
    <tr
      data-row
      tabIndex={0}
      onClick={open}
      onKeyDown={(e) => e.key === "Enter" && open()}
      className="cursor-pointer border-b border-line hover:bg-road-wash focus:bg-road-wash [&>td]:px-3 [&>td]:py-1"
    >
      <td>
        <StateMark tone={phases[call.phase]} word={call.phase} />
      </td>
      <td className="text-right font-mono text-[13px]">
        {elapsed(now - new Date(call.answered ?? call.started).getTime())}
      </td>
      <td className="max-w-40 truncate">{call.from}</td>
      <td className="font-mono">{call.caller || <span className="font-sans text-soft italic">none</span>}</td>
      <td>
        <NumberTiles number={call.dialled} size="sm" />
      </td>
      <td>
        {call.sent ? (
          <NumberTiles number={call.sent} size="sm" />
        ) : (
          <span className="text-soft">not left yet</span>
        )}
      </td>
      <td className="max-w-40 truncate">{call.trunk}</td>
      <td className="font-mono text-[13px]">{call.phase === "deciding" ? "" : far?.media?.codec}</td>
      <td className="font-mono text-[13px]">{call.phase === "deciding" ? "" : far?.media?.address}</td>
    </tr>
  );
}
