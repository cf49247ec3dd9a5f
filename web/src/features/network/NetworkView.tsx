import { useMemo, useState } from "react";
import { Link } from "react-router";
import type { Network, RunningTrunk } from "@/api/client";
import { useNetwork } from "@/api/queries";
import { type Group, groupOf, groups, stateOf } from "@/features/trunks/state";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";
import { folded, foldedAtFirst } from "./fold";
import { type Drawing, drawNetwork, isInside, type Place, type Road, roadPath, sizes } from "./layout";
import { RunningCalls } from "./RunningCalls";
import { SwitchTable } from "./SwitchTable";

/** The switches with their trunks and far ends, and the active calls. */
export function NetworkView() {
  const network = useNetwork();
  if (network.isPending) return <Loading what="the network" />;
  if (!network.data) return <Failure error={network.error} retry={() => network.refetch()} />;
  if (network.data.switches.length === 0) {
    return (
      <Empty
        action={
          <span className="flex gap-6">
            <Link to="/setup" className="text-road underline">
              Set up the first switch
            </Link>
            <Link to="/changes" className="text-road underline">
              Import a plan
            </Link>
          </span>
        }
      >
        No switch is live yet.
      </Empty>
    );
  }
  return (
    <div className="flex h-full flex-col">
      <Shown network={network.data} />
      <RunningCalls beside />
    </div>
  );
}

const kept = "switchback.network-as-table";

/** The network as a drawing or as a table; both fold their switches. */
function Shown({ network }: { network: Network }) {
  const [closed, setClosed] = useState(() => foldedAtFirst(network));
  const [table, setTable] = useState(() => localStorage.getItem(kept) === "true");
  const shape = useMemo(() => drawNetwork(folded(network, closed)), [network, closed]);
  const toggle = (id: string) => {
    const next = new Set(closed);
    if (!next.delete(id)) next.add(id);
    setClosed(next);
  };
  const counts: Partial<Record<Group, number>> = {};
  for (const t of network.trunks) counts[groupOf(t)] = (counts[groupOf(t)] ?? 0) + 1;
  const show = (as: boolean) => {
    setTable(as);
    localStorage.setItem(kept, String(as));
  };
  return (
    <section aria-label="Network" className="flex min-h-0 flex-1 flex-col">
      <div className="flex items-center gap-4 border-b border-line px-4 py-1">
        <h1 className="font-semibold">Network</h1>
        {(Object.keys(groups) as Group[])
          .filter((g) => counts[g])
          .map((g) => (
            <StateMark
              key={g}
              tone={groups[g].tone}
              word={`${counts[g]} ${groups[g].word}`}
              quiet={g === "well"}
            />
          ))}
        <fieldset className="ml-auto flex">
          <legend className="sr-only">Shown as</legend>
          {[false, true].map((as) => (
            <button
              key={String(as)}
              type="button"
              aria-pressed={table === as}
              onClick={() => show(as)}
              className="h-7 border border-edge px-3 first:rounded-l-[3px] last:-ml-px last:rounded-r-[3px] aria-pressed:bg-road-wash aria-pressed:font-semibold"
            >
              {as ? "Table" : "Drawing"}
            </button>
          ))}
        </fieldset>
      </div>
      <div className="min-h-0 flex-1 overflow-auto">
        {table ? (
          <SwitchTable network={network} closed={closed} onToggle={toggle} />
        ) : (
          <RoadMap drawing={shape} network={network} closed={closed} onToggle={toggle} />
        )}
      </div>
    </section>
  );
}

interface RoadMapProps {
  drawing: Drawing;
  network: Network;
  closed: Set<string>;
  onToggle: (id: string) => void;
}

function RoadMap({ drawing, network, closed, onToggle }: RoadMapProps) {
  return (
    <div className="relative mx-auto" style={{ width: drawing.width, height: drawing.height }}>
      <svg width={drawing.width} height={drawing.height} className="absolute inset-0" aria-hidden="true">
        {drawing.roads.map((r) => (
          <path
            key={r.key}
            d={roadPath(r.points)}
            fill="none"
            strokeLinecap="round"
            strokeWidth={8}
            className={lanes[worst(r.trunks)]}
            strokeDasharray={worst(r.trunks) === "bad" ? "2 14" : undefined}
          />
        ))}
        {drawing.roads.map((r) => (
          <path key={r.key} d={roadPath(r.points)} fill="none" stroke="none" {...arrowsOf(r)} />
        ))}
        <defs>
          <marker
            id="call-way"
            viewBox="0 0 8 8"
            refX="24"
            refY="4"
            markerWidth="8"
            markerHeight="8"
            orient="auto-start-reverse"
            markerUnits="userSpaceOnUse"
          >
            <path d="M1 0 7 4 1 8" fill="none" stroke="var(--road-ink)" strokeWidth="1.6" />
          </marker>
        </defs>
      </svg>
      {drawing.places.map((p) => (
        <PlaceBox
          key={p.key}
          place={p}
          trunks={network.trunks.filter((t) => t.switch === p.switch?.id).length}
          closed={closed.has(p.switch?.id ?? "")}
          onToggle={onToggle}
        />
      ))}
      <ul aria-label="Trunks">
        {drawing.roads.map((r) => (
          <Sign key={r.key} road={r} />
        ))}
      </ul>
    </div>
  );
}

const lanes: Record<Tone, string> = {
  good: "stroke-road",
  road: "stroke-road",
  draft: "stroke-draft",
  warn: "stroke-warn",
  soft: "stroke-edge",
  bad: "stroke-bad",
};

/** Which way calls went, drawn at the end to which they went. */
function arrowsOf(road: Road): { markerStart?: string; markerEnd?: string } {
  const [t] = road.trunks;
  if (!t || road.trunks.length > 1) return {};
  const towardsEnd = isInside(t) ? t.calls.in : t.calls.out;
  const towardsStart = isInside(t) ? t.calls.out : t.calls.in;
  return {
    markerStart: towardsStart > 0 ? "url(#call-way)" : undefined,
    markerEnd: towardsEnd > 0 ? "url(#call-way)" : undefined,
  };
}

/** A road is drawn as its worse end. */
function worst(trunks: RunningTrunk[]): Tone {
  const tones = trunks.map((t) => stateOf(t).tone);
  return (["bad", "warn", "soft", "draft", "road", "good"] as const).find((t) => tones.includes(t)) ?? "soft";
}

function centred({ x, y }: { x: number; y: number }, { width, height }: { width: number; height: number }) {
  return { left: x - width / 2, top: y - height / 2, width, height };
}

interface PlaceBoxProps {
  place: Place;
  trunks: number;
  closed: boolean;
  onToggle: (id: string) => void;
}

/** A far end; or a switch, which shows and hides what is well around it. */
function PlaceBox({ place, trunks, closed, onToggle }: PlaceBoxProps) {
  const box = "absolute flex flex-col justify-center rounded-[4px] border px-3 text-left";
  const name = <span className="line-clamp-2 leading-tight font-semibold break-words">{place.name}</span>;
  if (!place.switch) {
    return (
      <div style={centred(place, sizes.place)} title={place.note} className={`${box} border-edge bg-sheet`}>
        <span className="text-caption text-soft">{place.kind.replace("-", " ")}</span>
        {name}
      </div>
    );
  }
  const id = place.switch.id;
  return (
    <button
      type="button"
      aria-expanded={!closed}
      title={closed ? "Show all trunks" : "Hide available trunks"}
      style={centred(place, sizes.place)}
      className={`${box} border-road bg-road text-road-ink`}
      onClick={() => onToggle(id)}
    >
      <span className="flex justify-between text-caption">
        switch{" "}
        <span className="font-mono">
          {closed ? "+" : "−"} {trunks}
        </span>
      </span>
      {name}
      <span className="truncate font-mono text-caption">{place.switch.address}</span>
    </button>
  );
}

/** The sign on a road: which trunks, what was proved, how full. */
function Sign({ road }: { road: Road }) {
  return (
    <li
      style={centred(road.sign, road.trunks.length > 1 ? sizes.join : sizes.sign)}
      className="absolute flex flex-col justify-center gap-1"
    >
      {road.trunks.map((t) => (
        <Link
          key={t.id}
          to={`/trunks/${t.id}`}
          title={`${t.name}: ${t.state.evidence}`}
          className="rounded-[3px] border border-edge bg-sheet px-2 py-1 leading-tight hover:bg-road-wash"
        >
          <span className="flex items-baseline justify-between gap-2 text-dense">
            <span className="truncate">{t.name}</span>
            <span className="font-mono">
              {t.inUse}/{t.channels}
            </span>
          </span>
          <span className="flex items-center justify-between gap-2 text-caption">
            <StateMark {...stateOf(t)} />
            <span className="font-mono text-soft" title="Inbound and outbound calls">
              {t.calls.in}↓ {t.calls.out}↑
            </span>
          </span>
        </Link>
      ))}
    </li>
  );
}
