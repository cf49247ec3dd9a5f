import { useMemo } from "react";
import { Link } from "react-router";
import type { RunningTrunk } from "@/api/client";
import { useNetwork } from "@/api/queries";
import { stateOf } from "@/features/trunks/state";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";
import { ChannelTiles } from "./ChannelTiles";
import { type Drawing, drawNetwork, type Place, type Road, roadPath, sizes } from "./layout";
import { RunningCalls } from "./RunningCalls";

/** The switches with their trunks and far ends, and the active calls. */
export function NetworkView() {
  const network = useNetwork();
  const shape = useMemo(() => network.data && drawNetwork(network.data), [network.data]);
  if (network.isPending) return <Loading what="the network" />;
  if (!shape) return <Failure error={network.error} retry={() => network.refetch()} />;
  if (shape.places.length === 0) {
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
      <section aria-label="Network" className="min-h-0 flex-1 overflow-auto">
        <RoadMap drawing={shape} />
      </section>
      <RunningCalls beside />
    </div>
  );
}

function RoadMap({ drawing }: { drawing: Drawing }) {
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
      </svg>
      {drawing.places.map((p) => (
        <PlaceBox key={p.key} place={p} />
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
  soft: "stroke-line",
  bad: "stroke-bad",
};

/** A road is drawn as its worse end. */
function worst(trunks: RunningTrunk[]): Tone {
  const tones = trunks.map((t) => stateOf(t).tone);
  return (["bad", "soft", "draft", "road", "good"] as const).find((t) => tones.includes(t)) ?? "soft";
}

function centred({ x, y }: { x: number; y: number }, { width, height }: { width: number; height: number }) {
  return { left: x - width / 2, top: y - height / 2, width, height };
}

function PlaceBox({ place }: { place: Place }) {
  const ours = place.switch !== undefined;
  return (
    <div
      style={centred(place, sizes.place)}
      title={place.note}
      className={`absolute flex flex-col justify-center rounded-[4px] border px-3 ${ours ? "border-road bg-road text-road-ink" : "border-line bg-sheet"}`}
    >
      <span className={`text-[12px] leading-tight ${ours ? "" : "text-soft"}`}>
        {place.kind.replace("-", " ")}
      </span>
      <span className="line-clamp-2 leading-tight font-semibold break-words">{place.name}</span>
      {place.switch && <span className="truncate font-mono text-[12px]">{place.switch.address}</span>}
    </div>
  );
}

/** The sign on a road: which trunks, what was proved, how full. */
function Sign({ road }: { road: Road }) {
  return (
    <li
      style={centred(road.sign, road.trunks.length > 1 ? sizes.join : sizes.sign)}
      className="absolute flex flex-col justify-center gap-0.5"
    >
      {road.trunks.map((t) => (
        <Link
          key={t.id}
          to={`/trunks/${t.id}`}
          title={`${t.name}: ${t.state.evidence}`}
          className="rounded-[3px] border border-line bg-sheet px-2 py-1 leading-tight hover:bg-road-wash"
        >
          <span className="flex items-baseline justify-between gap-2 text-[13px]">
            <span className="truncate">{t.name}</span>
            <span className="font-mono">
              {t.inUse}/{t.channels}
            </span>
          </span>
          <span className="flex items-center justify-between gap-2 text-[12px]">
            <StateMark {...stateOf(t)} />
            <ChannelTiles used={t.inUse} all={t.channels} />
          </span>
        </Link>
      ))}
    </li>
  );
}
