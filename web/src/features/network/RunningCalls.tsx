import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { RunningCall } from "@/api/client";
import { useRunning } from "@/api/queries";
import { elapsed, useNow } from "@/lib/time";
import { routeColumns } from "@/parts/callColumns";
import { CountFilter } from "@/ui/CountFilter";
import { type Column, DataTable } from "@/ui/DataTable";
import { Failure, Loading } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";

type Phase = RunningCall["phase"];

const phases: Record<Phase, Tone> = { routing: "soft", ringing: "road", connected: "good" };

const groups = {
  routing: { tone: phases.routing, word: "routing" },
  ringing: { tone: phases.ringing, word: "ringing" },
  connected: { tone: phases.connected, word: "connected" },
};

/** The active calls, as a view or as a list beside the network; each leads to its decision as it happens. */
export function RunningCalls({ beside }: { beside?: boolean }) {
  const running = useRunning();
  const navigate = useNavigate();
  const [only, setOnly] = useState<Phase>();
  const now = useNow();
  if (running.isPending) return <Loading what="active calls" />;
  if (!running.data) return <Failure error={running.error} retry={() => running.refetch()} />;
  const calls = running.data;
  const counts: Partial<Record<Phase, number>> = {};
  for (const c of calls) counts[c.phase] = (counts[c.phase] ?? 0) + 1;
  return (
    <div
      className={`flex min-h-0 flex-col border-t border-line ${beside ? `shrink-0 ${calls.length > 0 ? "h-44" : "h-28"}` : "flex-1"}`}
    >
      <DataTable
        name="active-calls"
        label="Active calls"
        rows={only ? calls.filter((c) => c.phase === only) : calls}
        columns={columnsAt(now)}
        keyOf={(c) => c.id}
        onOpen={(c) => navigate(`/calls/${c.id}`)}
        empty={
          <>
            No active calls.{" "}
            <Link to="/test-call" className="text-road underline">
              Place a test call
            </Link>
          </>
        }
      >
        <h2 className="font-semibold">Active calls</h2>
        <CountFilter groups={groups} counts={counts} chosen={only} onChoose={setOnly} />
      </DataTable>
    </div>
  );
}

const mono = "font-mono text-dense";

function columnsAt(now: number): Column<RunningCall>[] {
  const since = (c: RunningCall) => now - new Date(c.answered ?? c.started).getTime();
  const media = (c: RunningCall) => (c.phase === "routing" ? undefined : c.legs.at(-1)?.media);
  return [
    {
      id: "phase",
      head: "Phase",
      width: "7rem",
      text: (c) => c.phase,
      sort: (c) => Object.keys(phases).indexOf(c.phase),
      cell: (c) => <StateMark tone={phases[c.phase]} word={c.phase} quiet={c.phase === "connected"} />,
    },
    {
      id: "length",
      head: "Length",
      title: "Time in this phase",
      width: "5rem",
      right: true,
      text: (c) => elapsed(since(c)),
      sort: since,
      cell: (c) => <span className={mono}>{elapsed(since(c))}</span>,
    },
    ...routeColumns<RunningCall>(),
    {
      id: "codec",
      head: "Codec",
      width: "6rem",
      text: (c) => media(c)?.codec ?? "",
      cell: (c) => <span className={mono}>{media(c)?.codec}</span>,
    },
    {
      id: "media",
      head: "Media to",
      title: "Where the switch sends media on the outbound leg",
      width: "11rem",
      text: (c) => media(c)?.address ?? "",
      cell: (c) => <span className={mono}>{media(c)?.address}</span>,
    },
  ];
}
