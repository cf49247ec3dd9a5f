import { useState } from "react";
import type { Arrow, Ladder } from "@/api/client";
import { walkRows } from "@/lib/list";
import { Empty } from "@/ui/feedback";

const row = 27;

/** Lanes grow narrower with more parties, so that a call stays beside its trail. */
const laneWidth = (parties: number) => Math.max(96, Math.min(152, Math.floor(456 / Math.max(2, parties))));

/** The messages of a call drawn between its parties, and the text of one. */
export function LadderView({ ladder, highlighted }: { ladder: Ladder; highlighted?: string }) {
  const [chosen, choose] = useState(0);
  if (ladder.arrows.length === 0) return <Empty>No messages yet.</Empty>;
  const arrow = ladder.arrows[Math.min(chosen, ladder.arrows.length - 1)];
  const lane = laneWidth(ladder.parties.length);
  const width = Math.max(2, ladder.parties.length) * lane;
  return (
    <section aria-label="Ladder" className="flex min-w-0 flex-wrap items-start gap-4">
      <div style={{ width }} className="shrink-0">
        <div className="flex">
          {ladder.parties.map((p) => (
            <div key={p.address} className="px-1 text-center leading-tight" style={{ width: lane }}>
              <div className="truncate font-semibold" title={p.name}>
                {p.name}
              </div>
              <div className="truncate font-mono text-caption text-soft">{p.address}</div>
            </div>
          ))}
        </div>
        <ol className="relative" onKeyDown={walkRows}>
          <svg
            width={width}
            height={ladder.arrows.length * row + 8}
            className="absolute inset-0"
            aria-hidden="true"
          >
            {ladder.parties.map((p, i) => (
              <line
                key={p.address}
                x1={(i + 0.5) * lane}
                x2={(i + 0.5) * lane}
                y1={0}
                y2={ladder.arrows.length * row + 8}
                stroke="var(--edge)"
                strokeWidth={2}
              />
            ))}
          </svg>
          {ladder.arrows.map((a, i) => (
            <li key={`${a.millis}-${i}`}>
              <ArrowRow
                arrow={a}
                lane={lane}
                names={[ladder.parties[a.from]?.name ?? "", ladder.parties[a.to]?.name ?? ""]}
                chosen={i === chosen}
                bright={highlighted === undefined || highlighted === a.leg}
                onChoose={() => choose(i)}
              />
            </li>
          ))}
        </ol>
      </div>
      {arrow && <MessageText arrow={arrow} />}
    </section>
  );
}

function ArrowRow({
  arrow,
  lane,
  names,
  chosen,
  bright,
  onChoose,
}: {
  arrow: Arrow;
  lane: number;
  names: [string, string];
  chosen: boolean;
  bright: boolean;
  onChoose: () => void;
}) {
  const a = (arrow.from + 0.5) * lane;
  const b = (arrow.to + 0.5) * lane;
  const toward = b > a ? 1 : -1;
  const asks = arrow.status === 401 || arrow.status === 407; // for a credential: nothing has failed
  const color =
    arrow.fault || (arrow.status >= 400 && !asks)
      ? "var(--bad)"
      : arrow.status >= 200 && !asks
        ? "var(--good)"
        : "var(--ink)";
  return (
    <button
      type="button"
      data-row
      aria-pressed={chosen}
      aria-label={`${names[0]} to ${names[1]}: ${arrow.label}, after ${arrow.millis.toFixed(0)} ms${arrow.repeat ? ", repeated" : ""}`}
      onClick={onChoose}
      onFocus={onChoose}
      className={`relative block w-full rounded-[3px] ${chosen ? "bg-road-wash/80" : ""} ${bright ? "" : "opacity-40"}`}
      style={{ height: row }}
    >
      <span
        className="absolute top-0 truncate px-1 text-center text-caption leading-tight"
        style={{ left: Math.min(a, b) + 4, width: Math.abs(b - a) - 8, color }}
      >
        <span className={`px-1 ${chosen ? "" : "bg-paper"}`}>
          {arrow.label}
          {arrow.repeat && " ↻"}
        </span>
      </span>
      <svg className="absolute inset-0 h-full w-full" aria-hidden="true">
        <line
          x1={a}
          x2={b - toward * 7}
          y1={20}
          y2={20}
          stroke={color}
          strokeWidth={1.6}
          strokeDasharray={arrow.repeat ? "4 3" : undefined}
        />
        <path d={`M${b} 20 l${-toward * 9} -4.5 v9 Z`} fill={color} />
      </svg>
      <span className="absolute top-1 left-0 font-mono text-caption text-soft">
        {arrow.millis.toFixed(0)}
      </span>
    </button>
  );
}

/** The whole message, as it was on the wire. */
function MessageText({ arrow }: { arrow: Arrow }) {
  return (
    <div className="min-w-[20rem] flex-1 basis-[26rem]">
      <div className="mb-1 text-dense text-soft">
        Message at {arrow.millis.toFixed(1)} ms
        {arrow.fault && <span className="text-bad">, cannot be read: {arrow.fault}</span>}
      </div>
      <pre
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a long text is scrolled by the keyboard
        tabIndex={0}
        className="max-h-[34rem] overflow-auto rounded-[3px] border border-line bg-sheet p-3 font-mono text-caption leading-snug whitespace-pre-wrap break-all"
      >
        {arrow.text}
      </pre>
    </div>
  );
}
