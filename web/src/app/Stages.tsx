import { type KeyboardEvent, useLayoutEffect, useRef, useState } from "react";
import { Link, useLocation } from "react-router";
import { StateMark } from "@/ui/StateMark";
import { type Mark, useMarks } from "./marks";
import { stages, stopAt } from "./stages";

/** The stages in a line, and under it the stops of the present one; a road leads along both. */
export function Stages() {
  const { pathname } = useLocation();
  const marks = useMarks();
  const here = stopAt(pathname);
  const road = useRoad(here?.stage.name ?? "");
  return (
    <nav aria-label="Stages" ref={road.nav} className="relative min-w-0 flex-1 self-stretch" onKeyDown={walk}>
      <Road road={road.drawn} />
      <ul className="absolute top-0 left-0 flex h-8 items-start gap-1 pt-1">
        {stages.map((s) => {
          const present = s === here?.stage;
          const mark = marks[s.name];
          return (
            <li key={s.name} ref={present ? road.stage : undefined}>
              <Link
                to={s.stops[0].path}
                aria-current={present ? "step" : undefined}
                title={`Keys g ${s.letter}${mark ? `: ${mark.title}` : ""}`}
                className="flex items-baseline gap-2 rounded-[3px] px-2 leading-6 whitespace-nowrap hover:bg-road-wash aria-[current=step]:font-semibold aria-[current=step]:text-road"
              >
                {s.name}
                {mark && <StageMark mark={mark} />}
              </Link>
            </li>
          );
        })}
      </ul>
      {here && (
        <ul
          aria-label={`Stops of ${here.stage.name}`}
          ref={road.stops}
          className="absolute bottom-0 flex h-8 items-end gap-1 pb-1"
          style={{ left: road.drawn?.left ?? 0 }}
        >
          {here.stage.stops.map((stop) => (
            <li key={stop.path}>
              <Link
                to={stop.path}
                aria-current={stop === here.stop ? "page" : undefined}
                className="block border border-transparent px-2 leading-[22px] whitespace-nowrap hover:bg-road-wash aria-[current=page]:rounded-t-[2px] aria-[current=page]:border-added aria-[current=page]:border-t-4 aria-[current=page]:bg-added-wash aria-[current=page]:font-semibold"
              >
                {stop.name}
              </Link>
            </li>
          ))}
        </ul>
      )}
    </nav>
  );
}

/** The worst of a stage: its shape and how many. */
function StageMark({ mark }: { mark: Mark }) {
  return (
    <span className="text-caption">
      <span aria-hidden="true">
        <StateMark tone={mark.tone} word={String(mark.count)} />
      </span>
      <span className="sr-only"> {mark.title}</span>
    </span>
  );
}

interface Drawn {
  width: number;
  /** Where the present stage ends and the road bends, and where the stops begin and end. */
  bend: number;
  left: number;
  right: number;
}

/** Measures where the road bends and where the stops stand: right of the bend, or left where no room is. */
function useRoad(present: string) {
  const nav = useRef<HTMLElement>(null);
  const stage = useRef<HTMLLIElement>(null);
  const stops = useRef<HTMLUListElement>(null);
  const [drawn, setDrawn] = useState<Drawn>();
  useLayoutEffect(() => {
    const measure = () => {
      if (!nav.current || !stage.current || !stops.current || present === "") return setDrawn(undefined);
      const width = nav.current.clientWidth;
      const bend = stage.current.offsetLeft + stage.current.offsetWidth + 4;
      const room = stops.current.offsetWidth;
      const left =
        bend + turn * 2 + room <= width ? bend + turn * 2 - 4 : Math.max(0, bend - turn * 2 - room);
      setDrawn((was) =>
        was && was.width === width && was.bend === bend && was.left === left && was.right === left + room
          ? was
          : { width, bend, left, right: left + room },
      );
    };
    // The observer tells first sizes too, once the page is laid out: to ask for them here
    // would lay out the whole view twice.
    const watch = new ResizeObserver(measure);
    for (const one of [nav.current, stage.current, stops.current]) if (one) watch.observe(one);
    return () => watch.disconnect();
  }, [present]);
  return { nav, stage, stops, drawn };
}

/** The radius of a bend, and the heights of the two rows, in pixels. */
const turn = 9;
const upper = 31;
const lower = 60;

function Road({ road: r }: { road?: Drawn }) {
  if (!r) return null;
  const way = r.left > r.bend ? 1 : -1;
  const end = way > 0 ? r.right : r.left;
  return (
    <svg aria-hidden="true" className="pointer-events-none absolute inset-0 size-full" fill="none">
      <path d={`M${r.bend + turn} ${upper} H${r.width}`} className="stroke-edge" strokeWidth="1.5" />
      <path
        d={`M0 ${upper} H${r.bend - turn} q${turn} 0 ${turn} ${turn} V${lower - turn} q0 ${turn} ${way * turn} ${turn} H${end}`}
        className="stroke-road"
        strokeWidth="3"
      />
    </svg>
  );
}

/** Arrow keys go along the stages and stops, and from one row to the other. */
function walk(e: KeyboardEvent<HTMLElement>) {
  const rows = [...e.currentTarget.querySelectorAll("ul")].map((ul) => [...ul.querySelectorAll("a")]);
  const row = rows.findIndex((links) => links.includes(e.target as HTMLAnchorElement));
  const links = rows[row];
  if (!links || e.ctrlKey || e.altKey || e.metaKey) return;
  const at = links.indexOf(e.target as HTMLAnchorElement);
  const to: Record<string, HTMLAnchorElement | undefined> = {
    ArrowRight: links[at + 1],
    ArrowLeft: links[at - 1],
    Home: links[0],
    End: links.at(-1),
    ArrowDown: row === 0 ? (rows[1]?.find(isCurrent) ?? rows[1]?.[0]) : undefined,
    ArrowUp: row === 1 ? (rows[0]?.find(isCurrent) ?? rows[0]?.[0]) : undefined,
  };
  const next = to[e.key];
  if (!next) return;
  e.preventDefault();
  next.focus();
}

const isCurrent = (a: HTMLAnchorElement) => a.hasAttribute("aria-current");
