import type { Span } from "@/api/client";
import { clock } from "@/lib/time";
import { stateLook } from "./state";

const day = 24 * 60 * 60 * 1000;
/** The shortest stretch that is drawn, in milliseconds. */
const least = 10 * 60 * 1000;

/** What a trunk was over the last 24 hours: colour and height tell the same. */
export function DayStrip({ spans, now, zone }: { spans: Span[]; now: number; zone?: string }) {
  const known = spans[0] ? new Date(spans[0].from).getTime() : now;
  const begin = Math.max(now - day, Math.min(known, now - least));
  const x = (iso: string) => Math.max(0, ((new Date(iso).getTime() - begin) / (now - begin)) * 480);
  const failed = spans.filter((s) => s.word === "failing").length;
  const said = failed === 0 ? "no failure" : `${failed} ${failed === 1 ? "failure" : "failures"}`;
  return (
    <figure>
      <svg
        viewBox="0 0 480 30"
        preserveAspectRatio="none"
        className="block h-8 w-full bg-sunk"
        role="img"
        aria-label={`Last 24 hours: ${said}`}
      >
        {spans.map((s) => {
          const look = heights[s.word] ?? unknown;
          const from = x(s.from);
          return (
            <rect
              key={s.from}
              x={from}
              y={30 - look.height}
              width={Math.max(1.5, x(s.to) - from)}
              height={look.height}
              className={look.fill}
            >
              <title>{`${clock(s.from, zone)} to ${clock(s.to, zone)}: ${stateLook(s.word).word}, ${s.cause}`}</title>
            </rect>
          );
        })}
      </svg>
      <figcaption className="flex justify-between text-caption text-soft">
        <span>
          {begin > now - day ? `known since ${clock(new Date(known).toISOString(), zone)}` : "24 h ago"}
        </span>
        <span>{said}</span>
        <span>now</span>
      </figcaption>
    </figure>
  );
}

const unknown = { height: 4, fill: "fill-soft" };

const heights: Record<string, { height: number; fill: string }> = {
  registered: { height: 10, fill: "fill-good" },
  answers: { height: 10, fill: "fill-good" },
  seen: { height: 10, fill: "fill-road" },
  unproven: unknown,
  failing: { height: 30, fill: "fill-bad" },
  off: { height: 18, fill: "fill-draft" },
  draining: { height: 18, fill: "fill-draft" },
  stopped: { height: 2, fill: "fill-soft" },
};
