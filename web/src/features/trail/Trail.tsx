import { Popover } from "radix-ui";
import type { TrailStep } from "@/api/client";
import { seconds } from "@/lib/time";
import { StateMark } from "@/ui/StateMark";
import { Tiles } from "@/ui/Tiles";
import { type Bend, buildRoad, heightOf, type Line, type Straight } from "./road";

interface Props {
  steps: TrailStep[];
  /** Of a live call: when each step was, in milliseconds after the start. */
  stamps?: number[];
  /** The step that is looked at elsewhere, such as in the ladder. */
  chosen?: number;
  onChoose?: (step: number) => void;
  /** Nothing stands beside it. */
  wide?: boolean;
}

/** The widths of a drawing, in pixels: of the side on which a bend lies, and of the whole. */
interface Widths {
  side: number;
  width: number;
}
/** Beside a ladder, and alone. */
const beside: Widths = { side: 166, width: 752 };
const alone: Widths = { side: 220, width: 1100 };

/**
 * A call as one road that climbs down the page in switchbacks: on each
 * straight the number as it travels, at each bend what was decided there.
 */
export function Trail({ steps, stamps, chosen, onChoose, wide }: Props) {
  const widths = wide ? alone : beside;
  const { width } = widths;
  const road = buildRoad(steps);
  const places = placesOf(road);
  const heights = road.map(heightOf);
  const tops = heights.map((_, i) => heights.slice(0, i).reduce((a, b) => a + b, 0));
  const total = heights.reduce((a, b) => a + b, 0) + 12;
  return (
    <section aria-label="Call trail" className="relative shrink-0" style={{ width, height: total }}>
      <svg width={width} height={total} className="absolute inset-0" aria-hidden="true">
        {road.map((s, i) => (
          <RoadPiece
            key={s.steps[0]}
            straight={s}
            widths={widths}
            top={tops[i] ?? 0}
            height={heights[i] ?? 0}
            index={i}
            last={i === road.length - 1}
            next={heights[i + 1] ?? 0}
          />
        ))}
      </svg>
      <ol>
        {road.map((s, i) => (
          <li
            key={s.steps[0]}
            className="pointer-events-none absolute inset-x-0 [&>*]:pointer-events-auto"
            style={{ top: tops[i], height: heights[i] }}
          >
            <StraightText
              straight={s}
              widths={widths}
              places={places}
              stamp={stamps?.[s.steps[0]]}
              chosen={chosen !== undefined && chosen >= s.steps[0] && chosen <= s.steps[1]}
              onChoose={onChoose && (() => onChoose(s.steps[1]))}
            />
            <BendText bend={s.bend} side={widths.side} right={i % 2 === 0} stamp={stamps?.[s.steps[1]]} />
          </li>
        ))}
      </ol>
    </section>
  );
}

const strokes = {
  good: "var(--good)",
  bad: "var(--bad)",
  draft: "var(--draft)",
  warn: "var(--warn)",
  soft: "var(--soft)",
  road: "var(--road)",
};

/** The road under one straight, and the bend that leads to the next. */
function RoadPiece({
  straight,
  widths: { side, width },
  top,
  height,
  index,
  last,
  next,
}: {
  straight: Straight;
  widths: Widths;
  top: number;
  height: number;
  index: number;
  last: boolean;
  next: number;
}) {
  const right = index % 2 === 0;
  const y = top + height - 9;
  const from = right ? side : width - side;
  const to = right ? width - side : side;
  const yNext = top + height + next - 9;
  const r = (yNext - y) / 2;
  const start = index === 0 ? from : from + (right ? 0 : 0);
  const bow = Math.min(r, 26) * (right ? 1 : -1);
  const path = last
    ? `M${start} ${y} H${to}`
    : `M${start} ${y} H${to} c${bow * 1.3} 0 ${bow * 1.3} ${2 * r} 0 ${2 * r}`;
  return (
    <g fill="none" strokeLinecap="round">
      <path d={path} stroke="var(--edge)" strokeWidth={9} />
      <path d={path} stroke="var(--sheet)" strokeWidth={1.5} strokeDasharray="7 7" />
      {index === 0 && <circle cx={from} cy={y} r={6} fill="var(--road)" />}
      {last && straight.bend.kind === "end" && <EndSign x={to} y={y} tone={straight.bend.tone} />}
    </g>
  );
}

/** The end of the road: a disc where it was answered, a barrier where not. */
function EndSign({ x, y, tone }: { x: number; y: number; tone: keyof typeof strokes }) {
  if (tone === "good") return <circle cx={x} cy={y} r={8} fill="var(--good)" />;
  return <path d={`M${x} ${y - 14} V${y + 10}`} stroke={strokes[tone]} strokeWidth={6} />;
}

function StraightText({
  straight,
  widths: { side, width },
  places,
  stamp,
  chosen,
  onChoose,
}: {
  straight: Straight;
  widths: Widths;
  places: number;
  stamp?: number;
  chosen: boolean;
  onChoose?: () => void;
}) {
  const content = (
    <>
      <div className="flex items-baseline gap-2 truncate">
        <span className="font-semibold">{straight.title}</span>
        <span className="truncate text-dense text-soft">{straight.subtitle}</span>
        {stamp !== undefined && (
          <span className="ml-auto font-mono text-caption text-soft">{seconds(stamp)}</span>
        )}
      </div>
      {straight.lines.map((line) => (
        <LineText key={line.number + line.label + line.by} line={line} places={places} />
      ))}
    </>
  );
  const box = "absolute top-0 px-2 text-left";
  const style = { left: side, width: width - 2 * side };
  if (!onChoose) {
    return (
      <div className={box} style={style}>
        {content}
      </div>
    );
  }
  return (
    <button
      type="button"
      className={`${box} rounded-[3px] hover:bg-road-wash ${chosen ? "bg-road-wash" : ""}`}
      style={style}
      onClick={onChoose}
      aria-pressed={chosen}
    >
      {content}
    </button>
  );
}

const names = { called: "called", caller: "calling", redirecting: "redirecting" };

/** How many tiles the longest number of a road has. */
const placesOf = (road: Straight[]) =>
  Math.max(3, ...road.flatMap((s) => s.lines.map((l) => l.runs.reduce((n, r) => n + r.text.length, 0))));

function LineText({ line, places }: { line: Line; places: number }) {
  return (
    <div
      className="flex h-8 items-center gap-2"
      title={[line.label, line.by, line.note].filter(Boolean).join(" · ")}
    >
      <span className="w-16 shrink-0 text-caption text-soft">{names[line.number]}</span>
      {/* Every number ends in the same column, so that a digit that is kept stays above itself. */}
      <span className="flex shrink-0 justify-end font-mono text-dense" style={{ width: `${places * 1.1}em` }}>
        {line.runs.length === 0 ? (
          <span className="font-sans text-soft italic">none</span>
        ) : (
          <Tiles runs={line.runs} size="sm" />
        )}
      </span>
      <span className={`min-w-0 truncate text-caption ${line.failed ? "text-bad" : "text-soft"}`}>
        {line.label}
        {line.note && `: ${line.note}`}
      </span>
    </div>
  );
}

function BendText({
  bend,
  side,
  right,
  stamp,
}: {
  bend: Bend;
  side: number;
  right: boolean;
  stamp?: number;
}) {
  return (
    <div
      className={`absolute bottom-0 translate-y-[35%] text-dense leading-tight ${right ? "pl-10" : "pr-10 text-right"}`}
      style={{ width: side, [right ? "right" : "left"]: 0 }}
    >
      <div className={`flex ${right ? "" : "justify-end"}`}>
        <StateMark tone={bend.tone} word={bend.word} wrap />
      </div>
      <div className="text-caption text-soft">
        {bend.detail}
        {stamp !== undefined && bend.kind === "heard" && <span className="font-mono"> {seconds(stamp)}</span>}
      </div>
      {bend.lost.length > 0 && <LostRules bend={bend} />}
    </div>
  );
}

/** Which rules did not win, and why: on demand. */
function LostRules({ bend }: { bend: Bend }) {
  const count = bend.lost.length + bend.omitted;
  return (
    <Popover.Root>
      <Popover.Trigger className="text-caption text-road underline underline-offset-2">
        {count} {count === 1 ? "rule" : "rules"} not matched
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={6}
          collisionPadding={12}
          className="z-10 max-h-[60vh] w-[30rem] overflow-auto rounded-[4px] border border-line bg-sheet p-3 shadow-lg"
        >
          <table className="w-full text-left text-dense">
            <thead>
              <tr className="text-soft [&>th]:font-normal">
                <th className="w-40">Rule not matched</th>
                <th>Reason</th>
              </tr>
            </thead>
            <tbody>
              {bend.lost.map((l) => (
                <tr key={l.rule.id} className="border-t border-line align-top [&>td]:py-1 [&>td]:pr-2">
                  <td>{l.rule.name}</td>
                  <td className="break-words font-mono text-caption">{l.detail}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {bend.omitted > 0 && <p className="text-soft">and {bend.omitted} more</p>}
          <Popover.Arrow className="fill-line" />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
