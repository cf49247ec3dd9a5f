import { Compass } from "lucide-react";
import { memo, useMemo, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import type { Plan, Rule } from "@/api/client";
import { useDraft } from "@/api/queries";
import { lastDialled } from "@/lib/lastDialled";
import { smallLook } from "@/ui/controls";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { RuleEditor } from "./RuleEditor";
import { RuleTable } from "./RuleTable";
import { AddTable } from "./tables";

/** The draft's routing tables: their rules in effective order, and an editor. */
export function RoutingView() {
  const draft = useDraft();
  const { table: tableID, rule: ruleID } = useParams();
  const [params] = useSearchParams();
  // A number that somebody typed is held against every rule that they look at.
  const [sample, setSample] = useState(lastDialled.get);
  if (draft.isPending) return <Loading what="the draft" />;
  if (!draft.data) return <Failure error={draft.error} retry={() => draft.refetch()} />;
  const { plan } = draft.data;
  const table = plan.tables.find((t) => t.id === tableID) ?? plan.tables[0];
  if (!table) return <NoTable plan={plan} />;
  const rule = table.rules.find((r) => r.id === ruleID);
  const copied = table.rules.find((r) => r.id === params.get("copy"));
  const editing = rule ?? (ruleID === "new" ? newRule(copied) : undefined);
  return (
    <div
      className={`grid h-full ${editing ? "grid-cols-[minmax(0,1fr)_37rem] min-[1680px]:grid-cols-[13rem_minmax(0,1fr)_44rem]" : "grid-cols-[13rem_minmax(0,1fr)]"}`}
    >
      <div className={editing ? "hidden min-h-0 min-[1680px]:grid" : "grid min-h-0"}>
        <TableList plan={plan} chosen={table.id} />
      </div>
      <RuleTable plan={plan} table={table} chosen={editing ? (ruleID ?? "") : undefined} />
      {editing && (
        <RuleEditor
          key={editing.id || `new ${copied?.id ?? ""}`}
          plan={plan}
          table={table}
          rule={editing}
          before={copied && table.rules[table.rules.indexOf(copied) + 1]?.id}
          sample={sample}
          onSample={setSample}
        />
      )}
    </div>
  );
}

/** A plan without tables: each switch can have its first one. */
function NoTable({ plan }: { plan: Plan }) {
  if (plan.switches.length === 0)
    return (
      <Empty action={<Link to="/plan/switches/new">Add a switch</Link>}>
        A routing table belongs to a switch, and the draft has none.
      </Empty>
    );
  return (
    <Empty
      action={
        <ul className="flex flex-col gap-2 text-ink">
          {plan.switches.map((sw) => (
            <li key={sw.id} className="flex items-center gap-3">
              Switch {sw.name}
              <AddTable plan={plan} switchID={sw.id} switchName={sw.name} words="Add a table" />
            </li>
          ))}
        </ul>
      }
    >
      The draft has no routing table. A table is a list of rules; calls from a trunk enter at one.
    </Empty>
  );
}

/** A rule that is not in the table yet: empty, or a copy of another. */
function newRule(copied?: Rule): Rule {
  if (!copied) return { id: "", name: "", match: {}, then: {} };
  return { ...structuredClone(copied), id: "", name: `${copied.name}, copy` };
}

const TableList = memo(function TableList({ plan, chosen }: { plan: Plan; chosen: string }) {
  const sources = useMemo(() => sourcesOf(plan), [plan]);
  const [search, setSearch] = useState("");
  const wanted = (t: Plan["tables"][number]) =>
    `${t.name} ${sources.get(t.id) ?? ""}`.toLowerCase().includes(search.toLowerCase());
  return (
    <nav aria-label="Routing tables" className="overflow-auto border-r border-line bg-sheet py-2">
      <Link
        to="/outbound-setup"
        className="mx-3 mb-1 flex items-center gap-2 text-dense text-road underline-offset-2 hover:underline"
      >
        <Compass className="size-4 shrink-0" aria-hidden="true" /> Outbound rule setup
      </Link>
      {plan.tables.length > 8 && (
        <div className="px-3 pb-1">
          <input
            type="search"
            className={`${smallLook} w-full px-2`}
            value={search}
            onChange={(e) => setSearch(e.target.value)}
            placeholder="Find table"
            aria-label="Find table"
          />
        </div>
      )}
      {plan.switches.map((sw) => (
        <div key={sw.id}>
          <div className="flex items-center px-3 py-1 text-dense text-soft">
            Switch {sw.name}
            <AddTable plan={plan} switchID={sw.id} switchName={sw.name} />
          </div>
          {plan.tables
            .filter((t) => t.switch === sw.id && wanted(t))
            .map((t) => (
              <Link
                key={t.id}
                to={`/routing/${t.id}`}
                aria-current={t.id === chosen ? "page" : undefined}
                className="block px-3 py-1 break-words hover:bg-road-wash aria-[current=page]:bg-road-wash aria-[current=page]:font-semibold"
              >
                {t.name}
                <span className="block text-caption font-normal text-soft">
                  {sources.has(t.id) ? `from ${sources.get(t.id)}` : "not used"}
                </span>
              </Link>
            ))}
        </div>
      ))}
    </nav>
  );
});

/** Who sends calls into each table, by its id, in words. */
function sourcesOf(plan: Plan): Map<string, string> {
  const sources = new Map<string, Set<string>>();
  const add = (table: string | undefined, who: string) => {
    if (table) sources.set(table, (sources.get(table) ?? new Set()).add(who));
  };
  for (const t of plan.trunks) add(t.inboundTable, t.name);
  for (const t of plan.tables) for (const r of t.rules) add(r.then.table, t.name);
  for (const t of plan.trunks) add(t.services?.table, `${t.name}, forwarded calls`);
  for (const g of plan.callerGroups ?? []) add(g.inboundTable, `group ${g.name}`);
  return new Map([...sources].map(([table, who]) => [table, [...who].join(", ")]));
}
