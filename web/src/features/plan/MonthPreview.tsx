import { ChevronLeft, ChevronRight } from "lucide-react";
import { useState } from "react";
import { useMonth } from "@/api/calendars";
import type { Hours, HoursDay, Plan } from "@/api/client";
import { because, changesOf, lookOf, whenWords } from "@/parts/calendar";
import { Button } from "@/ui/controls";
import { useCalendarZone } from "./calendarZone";

const monthName = new Intl.DateTimeFormat("en-GB", { month: "long", year: "numeric", timeZone: "UTC" });

/** A month of the calendar as it is being edited: each day as a bar of its states. */
export function MonthPreview({ hours, plan }: { hours: Hours; plan: Plan }) {
  const [month, setMonth] = useState(() => new Date().toISOString().slice(0, 7));
  const zone = useCalendarZone(hours, plan);
  const preview = useMonth({
    calendar: { ...hours, id: hours.id || "new", name: hours.name || "new" },
    month,
    zone,
  });
  const days = preview.data?.days ?? [];
  const states = preview.data?.states ?? [];
  const first = days[0] ? (new Date(`${days[0].date}T12:00:00Z`).getUTCDay() + 6) % 7 : 0;
  return (
    <section aria-label="Preview of a month" className="@container col-span-2">
      <div className="mb-1 flex items-center gap-2">
        <Button
          look="bare"
          className="h-7 px-1"
          aria-label="The month before"
          onClick={() => setMonth(moved(month, -1))}
        >
          <ChevronLeft className="size-4" />
        </Button>
        <span className="w-36 text-center font-semibold" aria-live="polite">
          {monthName.format(new Date(`${month}-01T12:00:00Z`))}
        </span>
        <Button
          look="bare"
          className="h-7 px-1"
          aria-label="The month after"
          onClick={() => setMonth(moved(month, 1))}
        >
          <ChevronRight className="size-4" />
        </Button>
        <span className="text-dense text-soft">{zone}</span>
        <span className="ml-auto flex flex-wrap gap-2 text-caption">
          {states.map((s) => (
            <span key={s} className={`rounded-[2px] border px-2 ${lookOf(states, s)}`}>
              {s}
            </span>
          ))}
        </span>
      </div>
      {(preview.data?.problems.length ?? 0) > 0 && (
        <p className="text-dense text-bad">Correct the errors above to see the preview.</p>
      )}
      <div className="grid gap-4 @3xl:grid-cols-[minmax(0,1fr)_15rem]">
        <ol aria-label="Month" className="grid grid-cols-7 gap-px border border-line bg-line">
          {["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"].map((d) => (
            <li key={d} aria-hidden="true" className="bg-sunk px-2 text-caption text-soft">
              {d}
            </li>
          ))}
          {Array.from({ length: first }, (_, i) => (
            <li key={`blank ${i}`} aria-hidden="true" className="bg-paper" />
          ))}
          {days.map((d) => (
            <Day key={d.date} day={d} states={states} />
          ))}
          {Array.from({ length: (7 - ((first + days.length) % 7)) % 7 }, (_, i) => (
            <li key={`end ${i}`} aria-hidden="true" className="bg-paper" />
          ))}
        </ol>
        <NextChanges turns={preview.data?.next ?? []} states={states} zone={zone} />
      </div>
    </section>
  );
}

/** When the schedule changes next; an override is not looked at. */
function NextChanges({
  turns,
  states,
  zone,
}: {
  turns: { at: string; state: string }[];
  states: string[];
  zone: string;
}) {
  return (
    <section aria-label="Next changes" className="min-w-0">
      <h3 className="font-semibold">Next changes</h3>
      {turns.length === 0 && <p className="text-soft">No change within 400 days.</p>}
      <ol className="gap-x-8 @md:columns-2 @3xl:columns-1">
        {turns.map((t) => (
          <li
            key={t.at}
            className="flex items-center justify-between gap-3 border-b border-line py-1 text-dense"
          >
            <span>{whenWords(t.at, zone).replace(/^(at|on) /, "")}</span>
            <span className={`rounded-[2px] border px-2 text-caption ${lookOf(states, t.state)}`}>
              {t.state}
            </span>
          </li>
        ))}
      </ol>
    </section>
  );
}

function Day({ day, states }: { day: HoursDay; states: string[] }) {
  const named = day.spans.find((s) => s.because.name);
  return (
    <li className="min-w-0 bg-sheet px-2 pt-1 pb-1" aria-label={spoken(day)} title={spoken(day)}>
      <div className="flex items-baseline gap-1 text-caption">
        <span className="font-mono">{Number(day.date.slice(8))}</span>
        <span className="min-w-0 truncate text-soft">{named?.because.name}</span>
        {day.hours !== 24 && <span className="ml-auto text-bad">{day.hours} h</span>}
      </div>
      <div className="mt-1 flex h-5 overflow-hidden rounded-[2px]">
        {day.spans.map((s) => (
          <span
            key={s.from}
            className={`grid min-w-0 place-items-center overflow-hidden border-y text-caption leading-none first:border-l last:border-r ${lookOf(states, s.state)}`}
            style={{ width: `${s.share * 100}%` }}
          >
            {s.share > 0.45 ? s.state : ""}
          </span>
        ))}
      </div>
      <div className="truncate font-mono text-caption text-soft">{changesOf(day)}</div>
    </li>
  );
}

const spoken = (day: HoursDay) =>
  `${day.date}: ${day.spans.map((s) => `${s.from} to ${s.to} ${s.state}, ${because(s.because)}`).join("; ")}`;

function moved(month: string, by: number): string {
  const [y = 2026, m = 1] = month.split("-").map(Number);
  return new Date(Date.UTC(y, m - 1 + by, 15)).toISOString().slice(0, 7);
}
