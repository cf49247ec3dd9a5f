import { Plus } from "lucide-react";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { useHours } from "@/api/calendars";
import type { HoursNow } from "@/api/client";
import { useChanges, useDraft } from "@/api/queries";
import { useKind } from "@/features/plan/kinds";
import { newObject } from "@/features/plan/model";
import { ObjectEditor } from "@/features/plan/ObjectEditor";
import { because, whenWords } from "@/parts/calendar";
import { inputLook } from "@/ui/controls";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { VirtualList } from "@/ui/VirtualList";
import { Clocks } from "./Clocks";
import { Override } from "./Override";

/** From how many calendars on a search is worth its room. */
const few = 5;

/** The calendars: how they stand now, set by hand at once, and edited in the draft. */
export function CalendarsView() {
  const draft = useDraft();
  const now = useHours();
  const kind = useKind("calendars");
  const { id } = useParams();
  const [find, setFind] = useState("");
  const [scrolled, setScrolled] = useState<HTMLElement | null>(null);
  const changes = useChanges().data?.changes;
  const differing = new Set(changes?.filter((c) => c.kind === "calendar").map((c) => c.id));
  if (draft.isPending || now.isPending || !kind) return <Loading what="the calendars" />;
  if (!draft.data) return <Failure error={draft.error} retry={() => draft.refetch()} />;
  if (!now.data) return <Failure error={now.error} retry={() => now.refetch()} />;
  const { plan } = draft.data;
  const calendars = plan.calendars ?? [];
  const chosen =
    id === "new"
      ? newObject("calendars", plan)
      : (calendars.find((h) => h.id === id) ?? (id ? undefined : calendars[0]));
  return (
    <div className="grid h-full grid-cols-[21rem_minmax(0,1fr)_17rem]">
      <nav aria-label="Calendars" className="flex min-h-0 flex-col border-r border-line bg-sheet">
        <div className="flex items-center border-b border-line bg-sunk px-4 py-1">
          <h1 className="font-semibold">Calendars</h1>
          <Link
            to="/calendars/new"
            className="ml-auto inline-flex items-center gap-1 text-dense text-road underline-offset-2 hover:underline"
          >
            <Plus className="size-4" aria-hidden="true" /> Add a calendar
          </Link>
        </div>
        {calendars.length > few && (
          <div className="px-4 py-2">
            <input
              type="search"
              aria-label="Find calendar"
              placeholder="Find calendar"
              className={inputLook}
              value={find}
              onChange={(e) => setFind(e.target.value)}
            />
          </div>
        )}
        <div ref={setScrolled} className="min-h-0 flex-1 overflow-auto">
          <VirtualList
            items={calendars.filter((h) => h.name.toLowerCase().includes(find.toLowerCase()))}
            keyOf={(h) => h.id}
            scrolled={scrolled}
            height={92}
            label="Calendars"
          >
            {(h) => (
              <Calendar
                id={h.id}
                name={h.name}
                differs={differing.has(h.id)}
                now={now.data.find((n) => n.id === h.id)}
                chosen={h.id === chosen?.id}
              />
            )}
          </VirtualList>
        </div>
        <Clocks />
      </nav>
      {chosen ? (
        <ObjectEditor
          key={`hours ${chosen.id}`}
          plan={plan}
          kind={kind}
          object={chosen}
          pathOf={(id) => (id ? `/calendars/${id}` : "/calendars")}
        />
      ) : (
        <div className="col-span-2">
          <Empty
            action={
              <Link to="/calendars/new" className="text-road underline">
                Add a calendar
              </Link>
            }
          >
            {id
              ? `The draft has no calendar ${id}.`
              : "No calendar yet. Rules and permissions depend on calendar states such as day and night."}
          </Empty>
        </div>
      )}
    </div>
  );
}

interface CalendarProps {
  id: string;
  name: string;
  differs: boolean;
  now?: HoursNow;
  chosen: boolean;
}

function Calendar({ id, name, differs, now, chosen }: CalendarProps) {
  return (
    <div className={`border-b border-line px-4 py-2 ${chosen ? "bg-road-wash" : ""}`}>
      <div className="flex items-baseline gap-2">
        <Link
          to={`/calendars/${id}`}
          aria-current={chosen ? "page" : undefined}
          className="min-w-0 flex-1 truncate font-semibold underline-offset-2 hover:underline"
        >
          {name}
        </Link>
        {differs && <StateMark tone="draft" word="draft differs" />}
      </div>
      {!now ? (
        <p className="text-dense text-soft">not live yet</p>
      ) : (
        <>
          {now.places.map((p) => (
            <div key={p.zone} className="mt-1">
              <StateMark tone={now.override ? "warn" : "good"} word={p.state} />{" "}
              <span className="text-dense text-soft">{because(p.because)}</span>
              <div className="text-dense text-soft">
                {now.override
                  ? `schedule: ${p.times}`
                  : p.change
                    ? `${p.change.state} ${whenWords(p.change.at, p.zone)}`
                    : "no change"}
                {now.places.length > 1 && `, ${p.zone}`}
              </div>
            </div>
          ))}
          <Override now={now} />
        </>
      )}
    </div>
  );
}
