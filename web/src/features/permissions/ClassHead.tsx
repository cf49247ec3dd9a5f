import { Popover } from "radix-ui";
import { Link } from "react-router";
import type { Group, Plan } from "@/api/client";
import { useCallers } from "@/api/queries";
import type { PermittedClass } from "@/parts/classes";
import { permissionOf, saidOf } from "./classes";

/** The head of a class: pressed, it shows who reaches the class, and by which rules. */
export function ClassHead({ of, plan, groups }: { of: PermittedClass; plan: Plan; groups: Group[] }) {
  return (
    <Popover.Root>
      <Popover.Trigger
        className="w-full truncate rounded-[3px] text-center text-caption underline-offset-2 hover:underline"
        title={`Who reaches ${of} calls`}
      >
        {of}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="bottom"
          collisionPadding={8}
          className="z-20 max-h-[60vh] w-80 overflow-auto rounded-[4px] border border-edge bg-sheet p-3 text-dense shadow-xl"
        >
          <Reach of={of} plan={plan} groups={groups} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Reach({ of, plan, groups }: { of: PermittedClass; plan: Plan; groups: Group[] }) {
  const ungrouped = useCallers().data?.ungrouped ?? [];
  const reached = groups.filter((g) => permissionOf(g, of));
  const rules = plan.tables.flatMap((t) =>
    t.rules.filter((r) => r.class === of && !r.disabled).map((r) => ({ table: t, rule: r })),
  );
  return (
    <>
      <h2 className="mb-1 font-semibold">Who reaches {of} calls</h2>
      {reached.length === 0 && ungrouped.length === 0 && <p className="text-soft">no caller</p>}
      <ul>
        {reached.map((g) => (
          <li key={g.id} className="flex justify-between gap-3">
            <span>{g.name}</span>
            <span className="text-soft">{saidOf(permissionOf(g, of), plan)}</span>
          </li>
        ))}
        {ungrouped.map((t) => (
          <li key={t.id} className="flex justify-between gap-3">
            <span>callers from {t.name}</span>
            <span className="text-warn">in no group: always</span>
          </li>
        ))}
      </ul>
      {rules.length > 0 && (
        <>
          <h3 className="mt-2 mb-1 font-semibold">Rules of this class</h3>
          <ul>
            {rules.map(({ table, rule }) => (
              <li key={rule.id} className="flex justify-between gap-3">
                <Link
                  to={`/routing/${table.id}/${rule.id}`}
                  className="text-road underline-offset-2 hover:underline"
                >
                  {rule.name}
                </Link>
                <span className="font-mono text-soft">{rule.match.called}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}
