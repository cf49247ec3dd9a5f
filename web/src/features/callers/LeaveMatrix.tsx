import { ArrowDown, ArrowUp } from "lucide-react";
import { Popover } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";
import type { Group, Leave, Plan } from "@/api/client";
import { moveGroup, putObject, useCallers, useDraftEdit } from "@/api/queries";
import { WhenEditor } from "@/features/routing/MatchEditor";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";

type CallClass = Leave["class"];

/** The classes of calls, in the order in which they are read. */
const classes: { of: CallClass; word: string }[] = [
  { of: "internal", word: "internal" },
  { of: "service", word: "service" },
  { of: "local", word: "local" },
  { of: "national", word: "national" },
  { of: "mobile", word: "mobile" },
  { of: "freephone", word: "freephone" },
  { of: "shared-cost", word: "shared" },
  { of: "premium", word: "premium" },
  { of: "international", word: "international" },
  { of: "unknown", word: "unknown" },
];

/**
 * Caller groups against call classes, read at a glance and edited in place: Space
 * changes a cell between never and always, Enter opens the hours.
 */
export function LeaveMatrix({ plan, groups }: { plan: Plan; groups: Group[] }) {
  const put = useDraftEdit((edit: { is: Group; was: Group }) => putObject("callerGroups", edit));
  const move = useDraftEdit((to: { id: string; before: string }) => moveGroup(to.id, to.before));
  const shadowed = useCallers().data?.shadowed ?? [];
  const give = (g: Group, of: CallClass, leave: Leave | undefined) => {
    const may = g.permissions.filter((l) => l.class !== of).concat(leave ? [leave] : []);
    const places = new Map(classes.map((c, i) => [c.of, i]));
    may.sort((a, b) => (places.get(a.class) ?? 99) - (places.get(b.class) ?? 99));
    put.mutate({ is: { ...g, permissions: may }, was: g });
  };
  return (
    <>
      <table aria-label="Leave by caller group and call class" className="w-full border-collapse">
        <thead>
          <tr className="text-left text-[13px] text-soft">
            <th scope="col" className="px-2 py-1 font-normal">
              Caller group
            </th>
            {classes.map((c) => (
              <th
                key={c.of}
                scope="col"
                className="px-1 py-1 text-center font-normal"
                title={`${c.of} calls`}
              >
                {c.word}
              </th>
            ))}
          </tr>
        </thead>
        <tbody onKeyDown={walk}>
          {groups.map((g, i) => (
            <tr key={g.id} className="border-t border-line">
              <th scope="row" className="min-w-[15rem] px-2 py-1.5 text-left font-normal">
                <Order
                  group={g}
                  place={i + 1}
                  busy={move.isPending}
                  onUp={i > 0 ? () => move.mutate({ id: g.id, before: groups[i - 1]?.id ?? "" }) : undefined}
                  onDown={
                    i < groups.length - 1
                      ? () => move.mutate({ id: g.id, before: groups[i + 2]?.id ?? "" })
                      : undefined
                  }
                />
                <Link
                  to={`/plan/callerGroups/${g.id}`}
                  className="font-semibold underline-offset-2 hover:underline"
                >
                  {g.name}
                </Link>
                <span className="block text-[13px] text-soft">
                  {g.callerPattern ? (
                    <span className="font-mono">{g.callerPattern}</span>
                  ) : (
                    "all other callers"
                  )}
                  {g.trunks &&
                    g.trunks.length > 0 &&
                    ` by ${g.trunks.map((id) => trunkName(plan, id)).join(", ")}`}
                </span>
                {shadowed
                  .filter((s) => s.group.id === g.id)
                  .map((s) => (
                    <span key={s.text} className="block text-[13px]">
                      <StateMark tone="bad" word={s.text} wrap />
                    </span>
                  ))}
              </th>
              {classes.map((c) => (
                <td key={c.of} className="p-0.5 text-center">
                  <Cell
                    plan={plan}
                    group={g}
                    of={c.of}
                    leave={g.permissions.find((l) => l.class === c.of)}
                    busy={put.isPending}
                    onGive={(leave) => give(g, c.of, leave)}
                  />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {put.isError && <Failure error={put.error} />}
      {move.isError && <Failure error={move.error} />}
    </>
  );
}

interface OrderProps {
  group: Group;
  place: number;
  busy: boolean;
  onUp?: () => void;
  onDown?: () => void;
}

/** The place of a group: a call belongs to the first that it matches. */
function Order({ group, place, busy, onUp, onDown }: OrderProps) {
  const button = "rounded-[3px] p-0.5 text-soft hover:text-ink disabled:invisible";
  return (
    <span className="float-right ml-2 inline-flex items-center gap-0.5">
      <button
        type="button"
        className={button}
        disabled={busy || !onUp}
        onClick={onUp}
        aria-label={`Move ${group.name} up`}
      >
        <ArrowUp className="size-4" aria-hidden="true" />
      </button>
      <button
        type="button"
        className={button}
        disabled={busy || !onDown}
        onClick={onDown}
        aria-label={`Move ${group.name} down`}
      >
        <ArrowDown className="size-4" aria-hidden="true" />
      </button>
      <span className="w-5 text-right font-mono text-[13px] text-soft">{place}</span>
    </span>
  );
}

const trunkName = (plan: Plan, id: string) => plan.trunks.find((t) => t.id === id)?.name ?? id;

/** Moves between cells by the arrow keys. */
function walk(e: React.KeyboardEvent<HTMLTableSectionElement>) {
  const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[e.key];
  const cell = (e.target as HTMLElement).closest("td");
  const row = cell?.parentElement;
  if (!step || !cell || !row) return;
  const rows = [...e.currentTarget.children];
  const place = [...row.children].indexOf(cell) + (step[1] ?? 0);
  const next = rows[rows.indexOf(row) + (step[0] ?? 0)]?.children[place];
  const button = next?.querySelector("button");
  if (button) {
    e.preventDefault();
    button.focus();
  }
}

interface CellProps {
  plan: Plan;
  group: Group;
  of: CallClass;
  leave?: Leave;
  busy: boolean;
  onGive: (leave: Leave | undefined) => void;
}

function Cell({ plan, group, of, leave, busy, onGive }: CellProps) {
  const [open, setOpen] = useState(false);
  // A calendar of which no state is ticked yet: it says nothing, so it is not written.
  const [begun, setBegun] = useState<string>();
  const when = leave?.when;
  const calendar = plan.calendars?.find((h) => h.id === when?.calendar)?.name ?? when?.calendar;
  const word = !leave ? "never" : calendar ? when?.states?.join(", ") : "always";
  const said = !leave ? "never" : calendar ? `while ${calendar} is ${when?.states?.join(" or ")}` : "always";
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <button
          type="button"
          disabled={busy}
          aria-label={`${group.name}, ${of} calls: ${said}`}
          title={`${said}. Space: never or always; Enter: by calendar`}
          onKeyDown={(e) => {
            if (e.key !== " ") return;
            e.preventDefault();
            onGive(leave ? undefined : { class: of });
          }}
          className={`flex h-11 w-full min-w-[3.7rem] flex-col items-center justify-center gap-0.5 rounded-[3px] border border-line text-[12px] leading-none hover:border-road ${looks[leave ? (calendar ? "some" : "always") : "never"]}`}
        >
          <Mark kind={leave ? (calendar ? "some" : "always") : "never"} />
          {word}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="bottom"
          className="z-20 w-72 rounded-[4px] border border-line bg-sheet p-3 shadow-xl"
          collisionPadding={8}
        >
          <p className="mb-2 font-semibold">
            {group.name}: {of} calls
          </p>
          <div className="mb-2 flex gap-2">
            <Button className="h-7" onClick={() => onGive(undefined)} disabled={!leave}>
              never
            </Button>
            <Button
              className="h-7"
              onClick={() => onGive({ class: of })}
              disabled={leave !== undefined && !when?.calendar}
            >
              always
            </Button>
          </div>
          <WhenEditor
            plan={plan}
            when={begun ? { calendar: begun, states: [] } : when}
            label="or by calendar"
            onChange={(w) => {
              const ticked = !w || (w.states ?? []).length > 0;
              setBegun(ticked ? undefined : w?.calendar);
              if (ticked) onGive({ class: of, ...(w && { when: w }) });
            }}
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

const looks = {
  always: "bg-good-wash text-good",
  some: "bg-draft-wash text-draft",
  never: "bg-sunk text-soft",
};

/** A gate that is open, open at times, or shut. */
function Mark({ kind }: { kind: "always" | "some" | "never" }) {
  return (
    <svg
      viewBox="0 0 16 10"
      className="h-2.5 w-4"
      aria-hidden="true"
      fill="none"
      stroke="currentColor"
      strokeWidth="2"
    >
      {kind === "always" && <path d="M1 9V1M15 9V1M1 5h2M13 5h2" />}
      {kind === "some" && <path d="M1 9V1M15 9V1M1 5h8" />}
      {kind === "never" && <path d="M1 9V1M15 9V1M1 5h14" />}
    </svg>
  );
}
