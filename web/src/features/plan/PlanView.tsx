import { Plus } from "lucide-react";
import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Change, Plan } from "@/api/client";
import { useChanges, useDraft } from "@/api/queries";
import { inputLook } from "@/ui/controls";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { useKinds } from "./kinds";
import { type Kind, newObject, objectsOf, type PlanObject } from "./model";
import { ObjectEditor } from "./ObjectEditor";

/** The kinds that are listed together: those of one stop. */
const together: string[][] = [
  ["switches", "farEnds", "trunks"],
  ["paths", "destinations"],
  ["callerGroups"],
  ["calendars"],
];

/** The objects of a stop's kinds, such as paths and destinations, each with an editor. */
export function PlanView() {
  const draft = useDraft();
  const kinds = useKinds();
  const { kind: kindName, id } = useParams();
  if (draft.isPending || kinds.length === 0) return <Loading what="the draft" />;
  if (!draft.data) return <Failure error={draft.error} retry={() => draft.refetch()} />;
  const { plan } = draft.data;
  const kind = kinds.find((k) => k.field === kindName) ?? kinds[2];
  if (!kind) return null;
  const listed = together.find((group) => group.includes(kind.field)) ?? [kind.field];
  const object =
    id === "new" ? newObject(kind.field, plan) : objectsOf(plan, kind.field).find((o) => o.id === id);
  return (
    <div className="grid h-full grid-cols-[15rem_minmax(0,1fr)_20rem]">
      <Objects
        plan={plan}
        chosen={object?.id}
        kind={kind}
        kinds={kinds.filter((k) => listed.includes(k.field))}
      />
      {object ? (
        <ObjectEditor key={`${kind.field} ${object.id}`} plan={plan} kind={kind} object={object} />
      ) : (
        <div className="col-span-2">
          <Empty
            action={
              <Link to={`/plan/${kind.field}/new`} className="text-road underline">
                Add a {kind.one}
              </Link>
            }
          >
            {id ? `The draft has no ${kind.one} ${id}.` : `Choose a ${kind.one} to edit it.`}
          </Empty>
        </div>
      )}
    </div>
  );
}

/** Everything that this view edits, by kind, with what differs from live marked. */
function Objects({ plan, chosen, kind, kinds }: { plan: Plan; chosen?: string; kind: Kind; kinds: Kind[] }) {
  const [search, setSearch] = useState("");
  const changes = useChanges().data?.changes ?? [];
  const words = search.toLowerCase().split(/\s+/);
  return (
    <nav aria-label="Objects of the plan" className="overflow-auto border-r border-line bg-sheet pb-4">
      <div className="sticky top-0 bg-sheet p-2">
        <input
          type="search"
          className={inputLook}
          value={search}
          onChange={(e) => setSearch(e.target.value)}
          placeholder="Find by name or id"
          aria-label="Find by name or id"
        />
      </div>
      {kinds.map((k) => {
        const found = objectsOf(plan, k.field).filter((o) =>
          words.every((w) => `${o.name} ${o.id}`.toLowerCase().includes(w)),
        );
        return (
          <section key={k.field} aria-label={k.many}>
            <h2 className="flex items-center gap-2 px-3 pt-2 pb-1 text-dense text-soft">
              {k.many} <span className="font-mono">{objectsOf(plan, k.field).length}</span>
              <Link
                to={`/plan/${k.field}/new`}
                className="ml-auto inline-flex items-center text-road"
                aria-label={`Add a ${k.one}`}
                title={`Add a ${k.one}`}
              >
                <Plus className="size-4" aria-hidden="true" />
              </Link>
            </h2>
            {found.slice(0, most).map((o) => (
              <Link
                key={o.id}
                to={`/plan/${k.field}/${o.id}`}
                aria-current={k === kind && o.id === chosen ? "page" : undefined}
                className="flex items-baseline gap-2 px-3 py-1 hover:bg-road-wash aria-[current=page]:bg-road-wash aria-[current=page]:font-semibold"
              >
                <span className="min-w-0 flex-1 break-words">{o.name || o.id}</span>
                <span className="text-caption font-normal text-soft">{switchOf(plan, o)}</span>
                <Differs changes={changes} kind={k} id={o.id} />
              </Link>
            ))}
            {found.length > most && (
              <p className="px-3 py-1 text-dense text-soft">
                and {found.length - most} more; type more of the name
              </p>
            )}
          </section>
        );
      })}
    </nav>
  );
}

/** The switch that an object belongs to, by name. */
function switchOf(plan: Plan, o: PlanObject): string {
  if (!("switch" in o)) return "";
  return plan.switches.find((s) => s.id === o.switch)?.name ?? o.switch;
}

/** How many objects of one kind are listed at once. */
const most = 100;

function Differs({ changes, kind, id }: { changes: Change[]; kind: Kind; id: string }) {
  const change = changes.find((c) => c.kind === kind.kind && c.id === id);
  return change ? <StateMark tone="draft" word={change.what} title="not live yet" /> : null;
}
