import { ArrowDown, ArrowUp } from "lucide-react";
import { memo } from "react";
import { Link } from "react-router";
import type { Group, Plan } from "@/api/client";
import { classes, type PermittedClass } from "@/parts/classes";
import { StateMark } from "@/ui/StateMark";
import { type Grant, permissionOf, withPermission } from "./classes";
import { GrantMark } from "./GrantMark";
import { PermissionCell } from "./PermissionCell";
import { RowMenu } from "./RowMenu";

interface Props {
  plan: Plan;
  group: Group;
  groups: Group[];
  /** Its place in the order in which groups are matched. */
  place: number;
  /** Its place among those that are shown. */
  index: number;
  /** Where it begins below the head and how high it is, in pixels. */
  start: number;
  height: number;
  findings?: string[];
  /** What most groups have. */
  usual: ReadonlyMap<PermittedClass, Grant>;
  busy: boolean;
  onPut: (edit: { is: Group; was: Group }) => void;
  onMove: (to: { id: string; before: string }) => void;
}

/** How the cells of head and rows stand in a line. */
export const rowGrid =
  "grid grid-cols-[5.5rem_minmax(6.5rem,1.1fr)_minmax(11.5rem,2.6fr)_4.75rem_repeat(10,minmax(0,1fr))_2rem] items-center";

/** A caller group: who belongs to it, and what it is permitted. */
export const GroupRow = memo(function GroupRow(props: Props) {
  const { plan, group: g, groups, place, busy, onPut, onMove } = props;
  const last = groups.length - 1;
  const names = (g.trunks ?? []).map((id) => plan.trunks.find((t) => t.id === id)?.name ?? id).join(", ");
  return (
    <tr
      aria-rowindex={props.index + 2}
      style={{ height: props.height, transform: `translateY(${props.start}px)` }}
      className={`${rowGrid} absolute inset-x-0 top-0 border-t border-line contain-layout contain-paint contain-style`}
    >
      <td className="px-2">
        <Order
          group={g}
          place={place + 1}
          busy={busy}
          onUp={place > 0 ? () => onMove({ id: g.id, before: groups[place - 1]?.id ?? "" }) : undefined}
          onDown={place < last ? () => onMove({ id: g.id, before: groups[place + 2]?.id ?? "" }) : undefined}
        />
      </td>
      <th scope="row" className="truncate px-2 text-left font-normal">
        <Link
          to={`/plan/callerGroups/${g.id}`}
          title={g.name}
          className="font-semibold underline-offset-2 hover:underline"
        >
          {g.name}
        </Link>
        {props.findings?.map((text) => (
          <span key={text} className="block text-dense">
            <StateMark tone="bad" word={text} title={text} />
          </span>
        ))}
      </th>
      <td className="truncate px-2 text-dense text-soft" title={names && `from ${names}`}>
        {g.callerPattern ? <span className="font-mono">{g.callerPattern}</span> : "all other"}
        {names && ` from ${names}`}
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
            usual={props.usual.get(c)}
            busy={busy}
            onSet={(to) => onPut({ is: withPermission(g, c, to), was: g })}
          />
        </td>
      ))}
      <td>
        <RowMenu
          group={g}
          groups={groups}
          onSet={(permissions) => onPut({ is: { ...g, permissions }, was: g })}
        />
      </td>
    </tr>
  );
});

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
