import type { CallSearch } from "@/api/client";
import { useCallVolume, useZone } from "@/api/queries";
import { dayAndClock } from "@/lib/time";

interface Props {
  search: CallSearch;
  onChoose: (since: string, until: string) => void;
}

/** How many calls began over time, failed ones at the foot of each bar; a bar narrows the search to its span. */
export function VolumeChart({ search, onChoose }: Props) {
  const volume = useCallVolume(search);
  const zone = useZone()();
  const data = volume.data;
  if (!data) return <div className="h-16 border-b border-line" />;
  const span = data.spanSeconds * 1000;
  const first = Math.floor(Date.parse(data.since) / span) * span;
  const count = Math.max(1, Math.ceil((Date.parse(data.until) - first) / span));
  const by = new Map(data.spans.map((s) => [Date.parse(s.from), s]));
  const all = (s: { answered: number; abandoned: number; failed: number; running: number }) =>
    s.answered + s.abandoned + s.failed + s.running;
  const most = Math.max(1, ...data.spans.map(all));
  const failed = data.spans.reduce((n, s) => n + s.failed, 0);
  const total = data.spans.reduce((n, s) => n + all(s), 0);
  const at = (i: number) => new Date(first + i * span).toISOString();
  return (
    <figure
      aria-label="Calls over time"
      className="flex h-16 shrink-0 items-stretch gap-3 border-b border-line bg-sheet px-4 py-2"
    >
      <figcaption className="flex w-36 shrink-0 flex-col justify-center text-dense">
        <span>
          <span className="font-mono">{total.toLocaleString("en-GB")}</span> calls
        </span>
        <span className={failed > 0 ? "text-bad" : "text-soft"}>
          <span className="font-mono">{failed.toLocaleString("en-GB")}</span> failed
        </span>
      </figcaption>
      <div className="flex min-w-0 flex-1 items-end gap-px border-b border-edge">
        {Array.from({ length: count }, (_, i) => {
          const s = by.get(first + i * span);
          if (!s) return <span key={at(i)} className="h-full flex-1" />;
          const words = `${dayAndClock(at(i), zone)}: ${all(s)} calls, ${s.failed} failed`;
          return (
            <button
              key={at(i)}
              type="button"
              title={words}
              aria-label={words}
              onClick={() => onChoose(at(i), at(i + 1))}
              className="flex h-full min-w-0 flex-1 flex-col justify-end hover:bg-road-wash"
            >
              <span className="w-full bg-edge" style={{ height: `${((all(s) - s.failed) / most) * 100}%` }} />
              <span
                className="w-full bg-bad"
                style={{ height: `${(s.failed / most) * 100}%`, minHeight: s.failed > 0 ? 2 : 0 }}
              />
            </button>
          );
        })}
      </div>
      <span className="flex w-28 shrink-0 flex-col justify-center text-right text-dense text-soft">
        <span>since {dayAndClock(data.since, zone).replace(/:\d\d (?=\S+$)/, " ")}</span>
      </span>
    </figure>
  );
}
