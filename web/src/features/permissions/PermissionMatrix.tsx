import { useVirtualizer } from "@tanstack/react-virtual";
import { useMemo, useState } from "react";
import type { Group, Plan } from "@/api/client";
import { moveGroup, putObject, useCallers, useDraftEdit } from "@/api/queries";
import { classes } from "@/parts/classes";
import { smallLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { ClassHead } from "./ClassHead";
import { usual } from "./classes";
import { GroupRow, rowGrid } from "./GroupRow";

/** How high a row is, in pixels, and each line of a finding below its name. */
const rowHeight = 36;
const findingHeight = 20;

/** Up to how many groups are drawn at once; of more, those in sight. */
const drawnAll = 40;

/** From how many groups on they are searched. */
const manyGroups = 12;

/** Caller groups against call classes, read at a glance and edited in place, in the order in which a caller is matched. */
export function PermissionMatrix({ plan, groups }: { plan: Plan; groups: Group[] }) {
  const put = useDraftEdit((edit: { is: Group; was: Group }) => putObject("callerGroups", edit));
  const move = useDraftEdit((to: { id: string; before: string }) => moveGroup(to.id, to.before));
  const shadowed = useCallers().data?.shadowed;
  const findings = useMemo(() => byGroup(shadowed ?? []), [shadowed]);
  const most = useMemo(() => usual(groups), [groups]);
  const [search, setSearch] = useState("");
  const [scrolled, setScrolled] = useState<HTMLElement | null>(null);
  const found = groups
    .map((group, place) => ({ group, place }))
    .filter(({ group }) =>
      `${group.name} ${group.callerPattern ?? ""}`.toLowerCase().includes(search.toLowerCase()),
    );
  const heightOf = (id = "") => rowHeight + findingHeight * (findings.get(id)?.length ?? 0);
  const virtual = useVirtualizer({
    // A row has forty buttons: drawn apart from the scroll event, a frame is two tasks, not one long.
    useFlushSync: false,
    count: found.length,
    getScrollElement: () => scrolled,
    estimateSize: (i) => heightOf(found[i]?.group.id),
    getItemKey: (i) => found[i]?.group.id ?? i,
    overscan: 6,
  });
  const few = found.length <= drawnAll;
  // Heights are known, so a short list is laid without what scrolls.
  const starts = [0];
  if (few) for (const { group } of found) starts.push((starts.at(-1) ?? 0) + heightOf(group.id));
  const drawn = few
    ? found.map((_, index) => ({ index, start: starts[index] ?? 0 }))
    : virtual.getVirtualItems();
  return (
    <>
      {groups.length > manyGroups && (
        <div className="mb-1 flex items-center gap-3">
          <input
            type="search"
            aria-label="Find caller group"
            placeholder="Find caller group"
            className={`${smallLook} w-48 px-2`}
            value={search}
            onChange={(e) => setSearch(e.target.value)}
          />
          <span role="status" className="font-mono text-dense text-soft">
            {found.length}
          </span>
        </div>
      )}
      <div ref={setScrolled} className="max-h-[calc(100vh-13rem)] overflow-auto">
        <table
          aria-label="Permissions by caller group and call class"
          aria-rowcount={found.length + 1}
          className="block min-w-[64rem]"
        >
          <thead className="sticky top-0 z-10 block bg-paper">
            <tr className={`${rowGrid} text-left text-dense text-soft [&>th]:py-1 [&>th]:font-normal`}>
              <th scope="col" className="px-2">
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
          <tbody
            onKeyDown={walk}
            className="relative block"
            style={{ height: few ? starts.at(-1) : virtual.getTotalSize() }}
          >
            {drawn.map(({ index, start }) => {
              const { group: g, place: i } = found[index] as { group: Group; place: number };
              return (
                <GroupRow
                  key={g.id}
                  plan={plan}
                  group={g}
                  groups={groups}
                  place={i}
                  index={index}
                  start={start}
                  height={heightOf(g.id)}
                  findings={findings.get(g.id)}
                  usual={most}
                  busy={put.isPending || move.isPending}
                  onPut={put.mutate}
                  onMove={move.mutate}
                />
              );
            })}
          </tbody>
        </table>
      </div>
      {put.isError && <Failure error={put.error} />}
      {move.isError && <Failure error={move.error} />}
    </>
  );
}

/** What is found in groups, by their ids. */
function byGroup(list: { group: { id: string }; text: string }[]): Map<string, string[]> {
  const out = new Map<string, string[]>();
  for (const { group, text } of list) out.set(group.id, [...(out.get(group.id) ?? []), text]);
  return out;
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
