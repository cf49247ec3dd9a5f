import { Plus } from "lucide-react";
import { Link } from "react-router";
import type { Plan } from "@/api/client";
import { useCallers, useDraft, useHidden } from "@/api/queries";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { Directory } from "./Directory";
import { PermissionMatrix } from "./PermissionMatrix";

/** Permissions: the matrix of caller groups and classes, and what stands beside it. */
export function PermissionsView() {
  const draft = useDraft();
  if (draft.isPending) return <Loading what="the draft" />;
  if (!draft.data) return <Failure error={draft.error} retry={() => draft.refetch()} />;
  const { plan } = draft.data;
  const groups = plan.callerGroups ?? [];
  return (
    <div className="mx-auto flex max-w-[92rem] flex-col gap-5 p-4">
      <section aria-label="Permissions">
        <header className="mb-2 flex flex-wrap items-baseline gap-x-4 gap-y-1">
          <h1 className="text-title font-semibold">Permissions</h1>
          <p className="text-dense text-soft">
            Checked after a rule matched; a call without permission is rejected with cause 21. Emergency calls
            are always permitted.
          </p>
          <Link
            to="/plan/callerGroups/new"
            className="ml-auto inline-flex items-center gap-1 text-road underline-offset-2 hover:underline"
          >
            <Plus className="size-4" aria-hidden="true" /> Add a caller group
          </Link>
        </header>
        {groups.length === 0 ? (
          <Empty>No caller group. All callers are permitted.</Empty>
        ) : (
          <PermissionMatrix plan={plan} groups={groups} />
        )}
        <Ungrouped />
      </section>
      <HiddenNumbers plan={plan} />
      <div className="grid grid-cols-2 gap-6">
        <Directory kind="callerGroups" title="Caller groups" />
        <Directory kind="destinations" title="Destinations" />
      </div>
    </div>
  );
}

/** Trunks with callers that no permission limits. */
function Ungrouped() {
  const list = useCallers().data?.ungrouped ?? [];
  if (list.length === 0) return null;
  return (
    <p className="mt-2 text-dense">
      <StateMark tone="warn" word="in no group" />{" "}
      <span className="text-soft">
        callers from {list.map((t) => t.name).join(", ")}: permitted all calls. Add a group without calling
        pattern at the end of the list.
      </span>
    </p>
  );
}

/** Extensions that an access prefix, a code or a broad rule keeps from being dialled. */
function HiddenNumbers({ plan }: { plan: Plan }) {
  const hidden = useHidden();
  if (hidden.isPending) return <Loading what="hidden numbers" />;
  return (
    <section aria-label="Hidden numbers">
      <h2 className="mb-1 font-semibold">Extensions hidden by rules</h2>
      {hidden.isError && <Failure error={hidden.error} retry={() => hidden.refetch()} />}
      {hidden.data?.length === 0 && (
        <StateMark
          tone="good"
          word={`all numbers of ${plan.destinations.length} destinations are reachable`}
        />
      )}
      <ul className="flex flex-col gap-1">
        {hidden.data?.map((h) => (
          <li key={h.trunk.id + h.destination.id} className="flex flex-wrap items-baseline gap-x-3">
            <StateMark tone="bad" word="hidden" />
            <span className="font-mono">{h.example}</span>
            <span>
              {h.text}; <span className="font-mono">{h.count}</span> numbers in all
            </span>
            <Link
              to={`/routing/${h.table.id}/${h.rule.id}`}
              className="text-road underline-offset-2 hover:underline"
            >
              open rule
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}
