import { type ReactNode, useMemo } from "react";
import { useNavigate } from "react-router";
import type { CallSearch, CallSummary } from "@/api/client";
import { useCalls, useZone } from "@/api/queries";
import { dayAndClock, delay, seconds } from "@/lib/time";
import { routeColumns } from "@/parts/callColumns";
import { type Column, DataTable } from "@/ui/DataTable";
import { Failure, Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { outcomeOf } from "./outcome";

interface Props {
  search: CallSearch;
  /** Names the table in what the browser keeps. */
  name: string;
  children?: ReactNode;
  find?: ReactNode;
  empty: ReactNode;
}

/** Call records that are searched for, as many as there are. */
export function CallTable({ search, name, children, find, empty }: Props) {
  const calls = useCalls(search);
  const navigate = useNavigate();
  const zone = useZone();
  const columns = useMemo(() => columnsIn(zone), [zone]);
  const rows = useMemo(() => calls.data?.pages.flatMap((p) => p.calls) ?? [], [calls.data]);
  if (calls.isPending && !calls.data) return <Loading what="call records" />;
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = calls;
  return (
    <>
      {calls.isError && <Failure error={calls.error} retry={() => calls.refetch()} />}
      <DataTable
        name={name}
        label="Call records"
        rows={rows}
        columns={columns}
        keyOf={(c) => c.id}
        onOpen={(c) => navigate(`/calls/${c.id}`)}
        tone={(c) => (outcomeOf(c).tone === "bad" ? "bad" : undefined)}
        served={{
          more: hasNextPage && !isFetchingNextPage ? () => fetchNextPage() : undefined,
          exhausted: !hasNextPage,
          search: find,
          csv: fileOf(search),
        }}
        empty={empty}
      >
        {children}
      </DataTable>
    </>
  );
}

/** Where the server has all calls of a search as a file. */
function fileOf(search: CallSearch): string {
  const query = new URLSearchParams();
  for (const [key, value] of Object.entries(search))
    for (const one of [value].flat()) if (one !== undefined) query.append(key, String(one));
  return `/api/calls.csv?${query}`;
}

const mono = "font-mono text-dense";

function columnsIn(zone: (id?: string) => string | undefined): Column<CallSummary>[] {
  return [
    {
      id: "time",
      head: "Time",
      width: "12.5rem",
      text: (c) => c.started,
      cell: (c) => <span className={mono}>{dayAndClock(c.started, zone(c.switch))}</span>,
    },
    ...routeColumns<CallSummary>(),
    {
      id: "result",
      head: "Result",
      width: "minmax(11.5rem,1.2fr)",
      text: (c) => outcomeOf(c).word,
      cell: (c) => <Result call={c} />,
    },
    {
      id: "pdd",
      head: "PDD",
      title: "Post-dial delay",
      width: "4.5rem",
      right: true,
      text: (c) => delay(c.postDialDelayMs),
      cell: (c) => <span className={mono}>{delay(c.postDialDelayMs)}</span>,
    },
    {
      id: "ring",
      head: "Ringing",
      width: "4.5rem",
      right: true,
      spare: true,
      text: (c) => delay(c.ringMs),
      cell: (c) => <span className={mono}>{delay(c.ringMs)}</span>,
    },
    {
      id: "length",
      head: "Length",
      width: "4.5rem",
      right: true,
      text: talk,
      cell: (c) =>
        c.running ? <StateMark tone="road" word="active" /> : <span className={mono}>{talk(c)}</span>,
    },
    {
      id: "codec",
      head: "Codec",
      width: "4.5rem",
      spare: true,
      text: (c) => c.codec ?? "",
      cell: (c) => c.codec,
    },
    {
      id: "released",
      head: "Released by",
      width: "6rem",
      text: (c) => c.releasedBy ?? "",
      cell: (c) => c.releasedBy,
    },
    {
      id: "cause",
      head: "Cause",
      title: "Q.850 cause",
      width: "4rem",
      right: true,
      spare: true,
      text: (c) => (c.q850 ? String(c.q850) : ""),
      cell: (c) => <span className={mono}>{c.q850 || ""}</span>,
    },
    {
      id: "sip",
      head: "SIP",
      title: "SIP status",
      width: "4rem",
      right: true,
      spare: true,
      text: (c) => (c.sip ? String(c.sip) : ""),
      cell: (c) => <span className={mono}>{c.sip || ""}</span>,
    },
    {
      id: "switch",
      head: "Switch",
      width: "6rem",
      spare: true,
      text: (c) => c.switch,
      cell: (c) => c.switch,
    },
    {
      id: "why",
      head: "Reason",
      width: "minmax(10rem,2fr)",
      spare: true,
      text: (c) => c.why,
      cell: (c) => c.why,
    },
  ];
}

/** What is well is quiet: a plain word; what is not, a mark. */
function Result({ call }: { call: CallSummary }) {
  const look = outcomeOf(call);
  if (look.tone === "good") return <span title={call.why}>{look.word}</span>;
  return <StateMark {...look} title={call.why} />;
}

function talk(call: CallSummary): string {
  if (!call.answered || !call.ended) return "";
  return seconds(new Date(call.ended).getTime() - new Date(call.answered).getTime());
}
