import { ArrowDown, ArrowUp } from "lucide-react";
import { useMemo } from "react";
import { Link } from "react-router";
import type { Group, Plan } from "@/api/client";
import { moveGroup, putObject, useCallers, useDraftEdit } from "@/api/queries";
import { classes } from "@/parts/classes";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { ClassHead } from "./ClassHead";
import { permissionOf, usual, withPermission } from "./classes";
import { GrantMark } from "./GrantMark";
import { PermissionCell } from "./PermissionCell";
import { RowMenu } from "./RowMenu";

/** Caller groups against call classes, read at a glance and edited in place, in the order in which a caller is matched. */
export function PermissionMatrix({ plan, groups }: { plan: Plan; groups: Group[] }) {
  const put = useDraftEdit((edit: { is: Group; was: Group }) => putObject("callerGroups", edit));
  const move = useDraftEdit((to: { id: string; before: string }) => moveGroup(to.id, to.before));
  const shadowed = useCallers().data?.shadowed ?? [];
  const most = useMemo(() => usual(groups), [groups]);
  return (
    <>
      <table aria-label="Permissions by caller group and call class" className="w-full border-collapse">
        <thead className="sticky top-0 z-10 bg-paper">
          <tr className="text-left text-dense text-soft [&>th]:py-1 [&>th]:font-normal">
            <th scope="col" className="w-24 px-2">
              Match order
            </th>
            <th scope="col" className="px-2">
              Caller group
            </th>
            <th scope="col" className="px-2">
              Callers
            </th>
            <th scope="col" className="px-1 text-center" title="Emergency calls are always permitted">
              emergency
            </th>
            {classes.map((c) => (
              <th key={c} scope="col" className="px-1">
                <ClassHead of={c} plan={plan} groups={groups} />
              </th>
            ))}
            <th scope="col">
              <span className="sr-only">All classes</span>
            </th>
          </tr>
        </thead>
        <tbody onKeyDown={walk}>
          {groups.map((g, i) => (
            <tr key={g.id} className="border-t border-line">
              <td className="px-2">
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
              </td>
              <th scope="row" className="px-2 text-left font-normal">
                <Link
                  to={`/plan/callerGroups/${g.id}`}
                  className="font-semibold underline-offset-2 hover:underline"
                >
                  {g.name}
                </Link>
                {shadowed
                  .filter((s) => s.group.id === g.id)
                  .map((s) => (
                    <span key={s.text} className="block text-dense">
                      <StateMark tone="bad" word={s.text} wrap />
                    </span>
                  ))}
              </th>
              <td className="px-2 text-dense text-soft">
                {g.callerPattern ? <span className="font-mono">{g.callerPattern}</span> : "all other"}
                {g.trunks &&
                  g.trunks.length > 0 &&
                  ` from ${g.trunks.map((id) => plan.trunks.find((t) => t.id === id)?.name ?? id).join(", ")}`}
              </td>
              <td className="px-1">
                <span className="flex items-center justify-center gap-1 text-caption text-soft">
                  <GrantMark grant="always" /> always
                </span>
              </td>
              {classes.map((c) => (
                <td key={c} className="px-1 py-1">
                  <PermissionCell
                    plan={plan}
                    group={g}
                    of={c}
                    permission={permissionOf(g, c)}
                    usual={most.get(c)}
                    busy={put.isPending}
                    onSet={(to) => put.mutate({ is: withPermission(g, c, to), was: g })}
                  />
                </td>
              ))}
              <td>
                <RowMenu
                  group={g}
                  groups={groups}
                  onSet={(permissions) => put.mutate({ is: { ...g, permissions }, was: g })}
                />
              </td>
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
  const button = "rounded-[3px] p-1 text-soft hover:text-ink disabled:invisible";
  return (
    <span className="inline-flex items-center gap-1">
      <span className="w-5 text-right font-mono text-dense text-soft">{place}</span>
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
    </span>
  );
}

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
