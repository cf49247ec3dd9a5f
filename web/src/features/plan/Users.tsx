import { Link } from "react-router";
import type { Plan, UsedKind, User } from "@/api/client";
import { useUsers } from "@/api/queries";
import { Failure } from "@/ui/feedback";
import { useKinds } from "./kinds";
import type { Kind } from "./model";

/** How many users of an object are listed. */
const most = 30;

/** What names an object: what would break without it. */
export function Users({ kind, id, plan }: { kind: Kind; id: string; plan: Plan }) {
  const kinds = useKinds();
  const found = useUsers(kind.kind as UsedKind, id);
  const count = found.data?.counts[id] ?? 0;
  return (
    <section aria-label="Used by">
      <h2 className="font-semibold">Used by</h2>
      {found.isError && <Failure error={found.error} />}
      {found.data && count === 0 && <p className="text-soft">Not used.</p>}
      <ul>
        {found.data?.users.slice(0, most).map((u) => (
          <li key={`${u.kind} ${u.id}`} className="break-words">
            <Link to={placeOf(u, kinds)} className="text-road underline-offset-2 hover:underline">
              {wordsFor(u, plan, kinds)}
            </Link>
          </li>
        ))}
        {count > most && <li className="text-soft">and {count - most} more</li>}
      </ul>
    </section>
  );
}

/** Where a user is edited. */
function placeOf(u: User, kinds: Kind[]): string {
  if (u.table) return `/routing/${u.table}/${u.id}`;
  if (u.kind === "table") return `/routing/${u.id}`;
  const kind = kinds.find((k) => k.kind === u.kind);
  return `/plan/${kind?.field ?? u.kind}/${u.id}`;
}

function wordsFor(u: User, plan: Plan, kinds: Kind[]): string {
  if (u.table) return `rule ${u.name} of ${plan.tables.find((t) => t.id === u.table)?.name ?? u.table}`;
  return `${kinds.find((k) => k.kind === u.kind)?.one ?? u.kind} ${u.name}`;
}
