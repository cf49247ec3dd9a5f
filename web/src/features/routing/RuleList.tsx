import { Plus } from "lucide-react";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import { api, type Finding, type Placed, type Plan, type Table, take } from "@/api/client";
import { useDraftEdit, useFindings, useOrder } from "@/api/queries";
import { FieldError, inputLook } from "@/ui/controls";
import { Empty, Failure } from "@/ui/feedback";
import { VirtualList } from "@/ui/VirtualList";
import { FindingLine } from "./Findings";
import { type Ordered, RuleRow } from "./RuleRow";
import { TableSettings, TakeTableOut } from "./tables";

/** The rules of a table in the order in which they are tried, with what is worth a look in each. */

export function RuleList({ plan, table, chosen }: { plan: Plan; table: Table; chosen?: string }) {
  const order = useOrder(table.id);
  const findings = useFindings(table.id);
  const found = useMemo(() => byRule(findings.data ?? []), [findings.data]);
  const rules = useMemo(() => inOrder(table, order.data), [table, order.data]);
  const [scrolled, setScrolled] = useState<HTMLElement | null>(null);
  return (
    <section ref={setScrolled} className="overflow-auto" aria-label={`Rules of ${table.name}`}>
      <header className="sticky top-0 z-10 flex items-center gap-3 border-b border-line bg-sunk px-4 py-1.5">
        <h1 className="min-w-0 truncate font-semibold" title={table.name}>
          {table.name}
        </h1>
        <span className="shrink-0 text-soft">
          {rules.length} {rules.length === 1 ? "rule" : "rules"}
        </span>
        <PolicySelect table={table} />
        <span className="truncate text-[13px] text-soft">
          patterns are written {table.format ? table.format.replace("-", " ") : "as dialled"}
        </span>
        <TableSettings key={table.id} table={table} />
        <Link
          to={`/routing/${table.id}/new`}
          className="ml-auto inline-flex shrink-0 items-center gap-1 text-road underline-offset-2 hover:underline"
        >
          <Plus className="size-4" aria-hidden="true" /> Add a rule
        </Link>
        {table.rules.length === 0 && <TakeTableOut table={table} />}
      </header>
      {order.isError && <Failure error={order.error} retry={() => order.refetch()} />}
      {found.get("")?.map((f) => (
        <div key={f.text} className="border-b border-line px-4 py-1.5">
          <FindingLine finding={f} />
        </div>
      ))}
      {rules.length === 0 ? (
        <Empty>No rule yet: every call that enters here is refused with cause 1.</Empty>
      ) : (
        <VirtualList
          items={rules}
          keyOf={(r) => r.rule.id}
          scrolled={scrolled}
          height={73}
          shown={rules.findIndex((r) => r.rule.id === chosen)}
        >
          {(ordered, i) => (
            <RuleRow
              plan={plan}
              table={table}
              ordered={ordered}
              place={i}
              above={movable(rules, table, i - 1, ordered)}
              below={movable(rules, table, i + 1, ordered)}
              behind={rules[i + 2]?.rule.id ?? ""}
              findings={found.get(ordered.rule.id)}
              chosen={ordered.rule.id === chosen}
            />
          )}
        </VirtualList>
      )}
    </section>
  );
}

/** In which order the table's rules are tried. */
function PolicySelect({ table }: { table: Table }) {
  const own = { name: table.name, format: table.format, note: table.note };
  const put = useDraftEdit((order: Table["order"]) =>
    take(
      api.PUT("/api/draft/tables/{id}", {
        params: { path: { id: table.id } },
        body: { ...own, order, was: { ...own, order: table.order } },
      }),
    ),
  );
  return (
    <label className="flex shrink-0 items-center gap-1.5 text-[13px] text-soft">
      tried
      <select
        className={`${inputLook} h-7 w-auto`}
        value={table.order}
        disabled={put.isPending}
        onChange={(e) => put.mutate(e.target.value as Table["order"])}
      >
        <option value="as-listed">as listed</option>
        <option value="specific-first">specific first</option>
      </select>
      {put.isError && <FieldError>{put.error.message}</FieldError>}
    </label>
  );
}

/** The rules of a table in the order in which they are tried. */
function inOrder(table: Table, order?: Placed[]): Ordered[] {
  const places = new Map(table.rules.map((r, i) => [r.id, i]));
  const find = (id?: string) => (id === undefined ? undefined : table.rules[places.get(id) ?? -1]);
  const placed = order ?? table.rules.map((r): Placed => ({ rule: r.id }));
  return placed.flatMap((p) => {
    const rule = find(p.rule);
    if (!rule) return []; // taken out since the order was read
    return [{ rule, listed: places.get(p.rule) ?? 0, before: find(p.before), example: p.example }];
  });
}

/**
 * The rule at a place that another can change places with. As listed, that is its
 * neighbour of the same sort: those of last resort stand behind all others. Specific
 * first orders by itself, and the list is what is moved in.
 */
function movable(rules: Ordered[], table: Table, place: number, moving: Ordered): string | undefined {
  if (table.order === "specific-first") {
    const step = place - rules.indexOf(moving);
    return table.rules[moving.listed + step]?.id;
  }
  const next = rules[place]?.rule;
  return next && (next.catchAll ?? false) === (moving.rule.catchAll ?? false) ? next.id : undefined;
}

/** Findings by the id of their rule; empty for the table itself. */
function byRule(list: Finding[]): Map<string, Finding[]> {
  const out = new Map<string, Finding[]>();
  for (const f of list) out.set(f.rule, [...(out.get(f.rule) ?? []), f]);
  return out;
}
