import { useMutation } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useState } from "react";
import { api, type Hours, type Plan, take } from "@/api/client";
import { Button, smallLook } from "@/ui/controls";
import { FileButton } from "@/ui/FileButton";
import { Failure } from "@/ui/feedback";
import { useCalendarZone } from "./calendarZone";

/** iCalendar in and out. What a file holds is put into the form, and saved with it. */
export function CalendarFile({
  hours,
  plan,
  onChange,
}: {
  hours: Hours;
  plan: Plan;
  onChange: (h: Hours) => void;
}) {
  const zone = useCalendarZone(hours, plan);
  const [state, setState] = useState("");
  const [file, setFile] = useState<File>();
  const read = useMutation({
    mutationFn: (ask: { file: File; state: string }) =>
      take(
        api.POST("/api/ical", {
          params: { query: { zone: zone, state: ask.state } },
          body: ask.file as never,
          bodySerializer: (body) => body as unknown as BodyInit,
          headers: { "Content-Type": "text/calendar" },
        }),
      ),
  });
  const r = file ? read.data : undefined;
  const forget = () => {
    setFile(undefined);
    read.reset();
  };
  return (
    <>
      <FileButton
        label="Import iCalendar"
        accept=".ics,text/calendar"
        onChoose={(f) => {
          setFile(f);
          read.mutate({ file: f, state });
        }}
      />
      {hours.id && (
        <a
          href={`/api/draft/calendars/${hours.id}/calendar.ics`}
          download
          className="inline-flex items-center gap-1 text-dense text-road underline-offset-2 hover:underline"
        >
          <Download className="size-4" aria-hidden="true" /> iCalendar
        </a>
      )}
      {read.isError && <Failure error={read.error} />}
      {file && r && (
        <section aria-label="iCalendar file" className="w-full border border-line bg-sheet p-3">
          <p>
            <span className="font-semibold break-words">{file.name}</span>: {r.dates.length} dates,{" "}
            {r.week.length} weekly spans{r.left.length > 0 && `, ${r.left.length} not imported`}.
          </p>
          {r.left.length > 0 && (
            <ul className="max-h-32 overflow-auto text-dense">
              {r.left.map((l) => (
                <li key={l.event}>
                  <span className="font-mono text-soft">event {l.event}</span> {l.summary}:{" "}
                  <span className="text-bad">{l.why}</span>
                </li>
              ))}
            </ul>
          )}
          <div className="mt-1 flex flex-wrap items-center gap-2 text-dense">
            <label className="flex items-center gap-1">
              state of events without category
              <input
                className={`${smallLook} w-24`}
                value={state}
                onChange={(e) => setState(e.target.value)}
                onBlur={() => read.mutate({ file, state })}
              />
            </label>
            <Button
              look="main"
              className="h-7"
              disabled={r.dates.length + r.week.length === 0}
              onClick={() => {
                onChange({
                  ...hours,
                  dates: [...(hours.dates ?? []), ...r.dates],
                  week: [...hours.week, ...r.week],
                });
                forget();
              }}
            >
              Add to the calendar
            </Button>
            <Button className="h-7" onClick={forget}>
              Cancel
            </Button>
          </div>
        </section>
      )}
    </>
  );
}
