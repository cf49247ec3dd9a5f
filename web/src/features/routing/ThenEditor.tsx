import type { Plan, Table, Then } from "@/api/client";
import { useCalendarStates } from "@/api/queries";
import { Field, smallLook } from "@/ui/controls";
import { named, type Option, Select, words } from "@/ui/Select";

interface Props {
  plan: Plan;
  table: Table;
  then: Then;
  onChange: (then: Then) => void;
  error?: string;
}

/** Causes that people refuse with (ITU-T Q.850). */
const causes: [number, string][] = [
  [1, "unallocated number"],
  [3, "no route to destination"],
  [17, "user busy"],
  [20, "subscriber absent"],
  [21, "call rejected"],
  [28, "address incomplete"],
  [31, "normal, unspecified"],
  [34, "no circuit available"],
];

/** Options whose values say of which kind they are. */
const as =
  (kind: string) =>
  (o: Option): Option => ({ ...o, value: `${kind}:${o.value}` });

/** The causes to reject with, and the rule's own where it is none of them. */
function refusals(own: number | undefined): Option[] {
  const group = "reject with cause";
  const list = causes.map(([q, name]) => ({ value: `refuse:${q}`, label: `cause ${q}, ${name}`, group }));
  if (!own || causes.some(([q]) => q === own)) return list;
  return [...list, { value: `refuse:${own}`, label: `cause ${own}`, group }];
}

/** Where the rule sends a call: one choice out of what its switch has. */
export function ThenEditor({ plan, table, then, onChange, error }: Props) {
  const here = <T extends { switch: string }>(list: T[]) => list.filter((x) => x.switch === table.switch);
  const onThisSwitch = new Set(here(plan.trunks).map((t) => t.id));
  const value = then.table
    ? `table:${then.table}`
    : then.path
      ? `path:${then.path}`
      : then.destination
        ? `destination:${then.destination}`
        : then.inventory
          ? "inventory:"
          : then.setCalendar
            ? `hours:${then.setCalendar.calendar}`
            : then.rejectCause
              ? `refuse:${then.rejectCause}`
              : "";
  const choose = (v: string) => {
    const [kind, id] = [v.slice(0, v.indexOf(":")), v.slice(v.indexOf(":") + 1)];
    if (kind === "inventory") onChange({ inventory: true });
    else if (kind === "hours") onChange({ setCalendar: { calendar: id, ...startOf(plan, id) } });
    else onChange(kind === "refuse" ? { rejectCause: Number(id) } : { [kind]: id });
  };
  const path = plan.paths.find((p) => p.id === then.path);
  const order = path?.choices
    .map((c) => plan.trunks.find((t) => t.id === c.trunk)?.name ?? c.trunk)
    .join(", then ");
  return (
    <>
      <Field label="Then" error={error} hint={order && `tries ${order}`}>
        {(p) => (
          <Select
            {...p}
            value={value}
            onChange={choose}
            required
            options={[
              ...named(here(plan.tables), "continue in table").map(as("table")),
              ...named(here(plan.paths), "route via path").map(as("path")),
              ...named(
                plan.destinations.filter((d) => onThisSwitch.has(d.trunk)),
                "deliver to",
              ).map(as("destination")),
              { value: "inventory:", label: "destination in the inventory", group: "deliver by inventory" },
              ...(plan.calendars ?? []).map((h) => ({
                value: `hours:${h.id}`,
                label: `calendar ${h.name}`,
                group: "set override",
              })),
              ...refusals(then.rejectCause),
            ]}
          />
        )}
      </Field>
      {then.setCalendar && (
        <SetHours set={then.setCalendar} onChange={(setHours) => onChange({ setCalendar: setHours })} />
      )}
    </>
  );
}

type Set = NonNullable<Then["setCalendar"]>;

/** The state that a calendar is put in at first: one that it never is by itself, if it has one. */
function startOf(plan: Plan, id: string): Partial<Set> {
  const h = plan.calendars?.find((x) => x.id === id);
  return { state: h?.overrideOnlyStates?.[0] ?? h?.week[0]?.state, toggle: true, minutes: 720 };
}

/** What a dialled code does to a calendar. */
function SetHours({ set, onChange }: { set: Set; onChange: (set: Set) => void }) {
  const states = useCalendarStates().data?.[set.calendar] ?? [];
  return (
    <div className="border-l-4 border-road-wash pl-3 text-dense">
      <div className="flex flex-wrap items-center gap-2">
        <label className="flex items-center gap-1">
          to
          <Select
            small
            value={set.state ?? ""}
            onChange={(state) => onChange(state ? { ...set, state } : { calendar: set.calendar })}
            none="clear override"
            options={words(states)}
          />
        </label>
        {set.state && (
          <>
            <label className="flex items-center gap-1">
              for
              <input
                type="number"
                min={0}
                max={44640}
                className={`${smallLook} w-20 font-mono`}
                value={set.minutes ?? 0}
                onChange={(e) => onChange({ ...set, minutes: Number(e.target.value) || undefined })}
              />
              min, 0 for no end
            </label>
            <label className="flex items-center gap-1">
              <input
                type="checkbox"
                checked={set.toggle ?? false}
                onChange={(e) => onChange({ ...set, toggle: e.target.checked || undefined })}
              />
              and back, if it is
            </label>
          </>
        )}
      </div>
      <p className="text-soft">
        The switch answers with two beeps, or a long one for back. A phone that watches the code lights its
        lamp while it is set. Say below which groups alone may.
      </p>
    </div>
  );
}
