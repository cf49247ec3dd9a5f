import { Plus } from "lucide-react";
import { useMemo, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import type { Network, RunningTrunk } from "@/api/client";
import { useNetwork } from "@/api/queries";
import { ago, delay } from "@/lib/time";
import { Ago } from "@/ui/Ago";
import { Choice } from "@/ui/Choice";
import { CountFilter } from "@/ui/CountFilter";
import { type Column, DataTable } from "@/ui/DataTable";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { Meter } from "@/ui/Meter";
import { StateMark } from "@/ui/StateMark";
import { type Group, groupOf, groups, stateOf } from "./state";
import { TrunkPage } from "./TrunkPage";
import { duration, percent } from "./traffic";

/** All trunks with their state, or the page of one. */
export function TrunksView() {
  const network = useNetwork();
  const { trunk } = useParams();
  if (network.isPending) return <Loading what="the trunks" />;
  if (!network.data) return <Failure error={network.error} retry={() => network.refetch()} />;
  if (trunk) return <TrunkPage key={trunk} id={trunk} network={network.data} />;
  if (network.data.trunks.length === 0) {
    return (
      <Empty
        action={
          <span className="flex gap-6">
            <Link to="/plan/trunks/new" className="text-road underline">
              Add a trunk
            </Link>
            <Link to="/changes" className="text-road underline">
              Import a plan
            </Link>
          </span>
        }
      >
        No trunk is live yet.
      </Empty>
    );
  }
  return <TrunkList network={network.data} />;
}

const severity = Object.keys(groups) as Group[];

function TrunkList({ network }: { network: Network }) {
  const navigate = useNavigate();
  const [only, setOnly] = useState<Group>();
  const [on, setOn] = useState("");
  const columns = useMemo(() => columnsIn(network.switches), [network.switches]);
  const counts: Partial<Record<Group, number>> = {};
  for (const t of network.trunks) counts[groupOf(t)] = (counts[groupOf(t)] ?? 0) + 1;
  const rows = useMemo(
    () =>
      network.trunks
        .filter((t) => (!only || groupOf(t) === only) && (!on || t.switch === on))
        .sort((a, b) => severity.indexOf(groupOf(a)) - severity.indexOf(groupOf(b))),
    [network.trunks, only, on],
  );
  return (
    <div className="flex h-full flex-col">
      <DataTable
        name="trunks"
        label="Trunks"
        rows={rows}
        columns={columns}
        keyOf={(t) => t.id}
        onOpen={(t) => navigate(`/trunks/${t.id}`)}
        tone={(t) =>
          ({ failing: "bad", out: "warn", warning: "warn" })[groupOf(t) as string] as "bad" | "warn"
        }
        empty="No trunk in this state."
      >
        <CountFilter groups={groups} counts={counts} chosen={only} onChoose={setOnly} always={["failing"]} />
        {network.switches.length > 1 && (
          <Choice
            label="Switch"
            any="Any switch"
            value={on}
            onChange={setOn}
            options={network.switches.map((s) => ({ value: s.id, label: s.name }))}
          />
        )}
        <Link
          to="/plan/trunks/new"
          className="inline-flex items-center gap-1 text-road underline-offset-2 hover:underline"
        >
          <Plus className="size-4" aria-hidden="true" /> Add trunk
        </Link>
      </DataTable>
      <SwitchNotes switches={network.switches} />
    </div>
  );
}

/** What is not as it should be at a switch itself; nothing where all is well. */
function SwitchNotes({ switches }: Pick<Network, "switches">) {
  const notes = switches.flatMap((s) =>
    [
      s.tls?.warning && { tone: "bad" as const, word: `${s.name}: ${s.tls.warning}` },
      s.rtpPorts.refused > 0 && {
        tone: "bad" as const,
        word: `${s.name}: ${s.rtpPorts.refused} calls without an RTP port, ${s.rtpPorts.used * 2} of ${s.rtpPorts.all * 2} in use`,
      },
      s.unknownMessages > 0 && {
        tone: "soft" as const,
        word: `${s.name}: ${s.unknownMessages} messages from unknown sources`,
      },
    ].filter((n) => typeof n === "object"),
  );
  if (notes.length === 0) return null;
  return (
    <ul
      aria-label="Switches"
      className="flex shrink-0 flex-wrap gap-x-6 border-t border-line bg-sheet px-4 py-1"
    >
      {notes.map((n) => (
        <li key={n.word}>
          <StateMark {...n} wrap />
        </li>
      ))}
    </ul>
  );
}

const mono = "font-mono text-dense";

function columnsIn(switches: Network["switches"]): Column<RunningTrunk>[] {
  const nameOf = (id: string) => switches.find((s) => s.id === id)?.name ?? id;
  return [
    {
      id: "name",
      head: "Trunk",
      width: "minmax(8rem,1.4fr)",
      text: (t) => t.name,
      cell: (t) => (
        <span className="font-semibold" title={t.name}>
          {t.name}
        </span>
      ),
    },
    {
      id: "state",
      head: "State",
      width: "minmax(7.5rem,1.6fr)",
      text: (t) => stateOf(t).word,
      sort: (t) => severity.indexOf(groupOf(t)),
      cell: (t) => <State trunk={t} />,
    },
    {
      id: "far-end",
      head: "Far end",
      width: "minmax(7.5rem,1.2fr)",
      text: (t) => t.farEnd.name,
      cell: (t) => t.farEnd.name,
    },
    {
      id: "kind",
      head: "Kind",
      width: "minmax(6rem,0.8fr)",
      spare: true,
      text: (t) => t.farEnd.kind.replace("-", " "),
      cell: (t) => t.farEnd.kind.replace("-", " "),
    },
    {
      id: "switch",
      head: "Switch",
      width: "minmax(4.5rem,0.7fr)",
      text: (t) => nameOf(t.switch),
      cell: (t) => nameOf(t.switch),
    },
    {
      id: "address",
      head: "Remote address",
      width: "minmax(11.5rem,1.2fr)",
      text: (t) => `${t.remoteAddress} ${t.transport}`.trim(),
      cell: (t) => (
        <span className={mono}>
          {t.remoteAddress || <span className="font-sans text-soft">registered contact</span>}{" "}
          {t.transport !== "udp" && <span className="text-soft">{t.transport.toUpperCase()}</span>}
        </span>
      ),
    },
    {
      id: "channels",
      head: "Channels",
      title: "Channels in use",
      width: "8.5rem",
      right: true,
      text: (t) => `${t.inUse}/${t.channels}`,
      sort: (t) => t.inUse / Math.max(1, t.channels),
      cell: (t) => (
        <span className="inline-flex items-center gap-2">
          <Meter used={t.inUse} all={t.channels} label="channels in use" />
          <span className={`${mono} inline-block min-w-12`}>
            {t.inUse}/{t.channels}
          </span>
        </span>
      ),
    },
    {
      id: "peak",
      head: "Peak",
      title: "Most channels in use in 24 h",
      width: "3.5rem",
      right: true,
      text: (t) => String(t.traffic.peak),
      sort: (t) => t.traffic.peak,
      cell: (t) => <span className={mono}>{t.traffic.peak || ""}</span>,
    },
    {
      id: "asr",
      head: "ASR",
      title: "Answer-seizure ratio, 24 h (ITU-T E.411)",
      width: "4rem",
      right: true,
      text: (t) => percent(t.traffic.asr),
      sort: (t) => (t.traffic.asr < 0 ? undefined : t.traffic.asr),
      cell: (t) => <span className={mono}>{percent(t.traffic.asr)}</span>,
    },
    {
      id: "acd",
      head: "ACD",
      title: "Average call duration, 24 h",
      width: "4rem",
      right: true,
      text: (t) => duration(t.traffic.acdSeconds),
      sort: (t) => t.traffic.acdSeconds || undefined,
      cell: (t) => <span className={mono}>{duration(t.traffic.acdSeconds)}</span>,
    },
    {
      id: "pdd",
      head: "PDD",
      title: "Mean post-dial delay, 24 h (RFC 6076)",
      width: "4rem",
      right: true,
      text: (t) => delay(t.traffic.pddMs),
      sort: (t) => t.traffic.pddMs || undefined,
      cell: (t) => <span className={mono}>{delay(t.traffic.pddMs)}</span>,
    },
    {
      id: "in",
      head: "In",
      title: "Inbound calls",
      width: "3.5rem",
      right: true,
      text: (t) => String(t.calls.in),
      sort: (t) => t.calls.in,
      cell: (t) => <span className={mono}>{t.calls.in}</span>,
    },
    {
      id: "out",
      head: "Out",
      title: "Outbound calls",
      width: "3.5rem",
      right: true,
      text: (t) => String(t.calls.out),
      sort: (t) => t.calls.out,
      cell: (t) => <span className={mono}>{t.calls.out}</span>,
    },
    {
      id: "round",
      head: "OPTIONS",
      title: "Round trip of OPTIONS",
      width: "5rem",
      right: true,
      spare: true,
      text: (t) => (t.state.roundMs ? `${t.state.roundMs.toFixed(1)} ms` : ""),
      sort: (t) => t.state.roundMs || undefined,
      cell: (t) => <span className={mono}>{t.state.roundMs ? `${t.state.roundMs.toFixed(1)} ms` : ""}</span>,
    },
    {
      id: "seen",
      head: "Last seen",
      title: "Last message from the far end",
      width: "5.5rem",
      right: true,
      text: (t) => t.lastSeen ?? "",
      sort: (t) => (t.lastSeen ? -Date.parse(t.lastSeen) : undefined),
      cell: (t) => (
        <span title={t.lastWhat}>
          {t.lastSeen ? <Ago at={t.lastSeen} /> : <span className="text-soft">never</span>}
        </span>
      ),
    },
  ];
}

/** What is well is quiet; what is not has its mark, its colour and since when. */
function State({ trunk }: { trunk: RunningTrunk }) {
  const look = stateOf(trunk);
  const words = [look.word, trunk.state.cause, trunk.warning].filter(Boolean).join("; ");
  if (trunk.warning) return <StateMark tone="warn" word={`${look.word}: ${trunk.warning}`} title={words} />;
  if (look.tone === "good") return <span title={words}>{look.word}</span>;
  const since = trunk.state.since ? ` ${ago(trunk.state.since)}` : "";
  return (
    <StateMark
      {...look}
      word={`${look.word}${since && look.tone === "bad" ? `, since ${since}` : ""}`}
      title={words}
    />
  );
}
