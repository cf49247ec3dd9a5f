import { Plus } from "lucide-react";
import { Link } from "react-router";
import type { Plan } from "@/api/client";
import { useCallers, useDraft, useHidden } from "@/api/queries";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { Directory } from "./Directory";
import { LeaveMatrix } from "./LeaveMatrix";

/** Who may call what: the matrix of caller groups and classes, and what stands beside it. */
export function CallersView() {
  const draft = useDraft();
  if (draft.isPending) return <Loading what="the draft" />;
  if (!draft.data) return <Failure error={draft.error} retry={() => draft.refetch()} />;
  const { plan } = draft.data;
  const groups = plan.callerGroups ?? [];
  return (
    <div className="mx-auto flex max-w-[92rem] flex-col gap-5 p-4">
      <section aria-label="Who may call what">
        <header className="mb-2 flex flex-wrap items-baseline gap-x-4 gap-y-1">
          <h1 className="text-lg font-semibold">Who may call what</h1>
          <p className="text-[13px] text-soft">
            Asked after a rule has won: who lacks leave is refused with cause 21, and slips on to no broader
            rule. What a call is follows from the number as it leaves. Emergency calls everybody may make.
          </p>
          <Link
            to="/plan/callerGroups/new"
            className="ml-auto inline-flex items-center gap-1 text-road underline-offset-2 hover:underline"
          >
            <Plus className="size-4" aria-hidden="true" /> Add a caller group
          </Link>
        </header>
        {groups.length === 0 ? (
          <Empty>There is no caller group, so everybody may make every call that a rule takes.</Empty>
        ) : (
          <LeaveMatrix plan={plan} groups={groups} />
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

/** Trunks by which somebody can call whom nothing holds back. */
function Ungrouped() {
  const list = useCallers().data?.ungrouped ?? [];
  if (list.length === 0) return null;
  return (
    <p className="mt-2 text-[13px]">
      <StateMark tone="draft" word="in no group" />{" "}
      <span className="text-soft">
        some callers by {list.map((t) => t.name).join(", ")}: nothing but the rules holds them back. A group
        without callers at the end of the list takes them in.
      </span>
    </p>
  );
}

/** Extensions that an access prefix, a code or a broad rule keeps from being dialled. */
function HiddenNumbers({ plan }: { plan: Plan }) {
  const hidden = useHidden();
  if (hidden.isPending) return <Loading what="which numbers are hidden" />;
  return (
    <section aria-label="Hidden numbers">
      <h2 className="mb-1 font-semibold">Prefixes and codes against extensions</h2>
      {hidden.isError && <Failure error={hidden.error} retry={() => hidden.refetch()} />}
      {hidden.data?.length === 0 && (
        <StateMark
          tone="good"
          word={`every number of the ${plan.destinations.length} destinations that is dialled by itself is reached`}
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
              open the rule
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}
