import { Plus } from "lucide-react";
import { useMemo, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type Finding, type Plan, type Rule, type Table, take } from "@/api/client";
import { useDraftEdit, useFindings, useOrder, useRuleMatches } from "@/api/queries";
import { CountFilter } from "@/ui/CountFilter";
import { Button } from "@/ui/controls";
import { DataTable } from "@/ui/DataTable";
import { Failure } from "@/ui/feedback";
import { columnsIn, type Row } from "./columns";
import { FindingLine, findingLooks } from "./Findings";
import { inOrder, movable } from "./order";
import { PolicySelect, TableSettings, TakeTableOut } from "./tables";

interface Props {
  plan: Plan;
  table: Table;
  chosen?: string;
}

const ruleAttribute = (r: Row) => ({ "data-rule": r.rule.id });

/** The rules of a table in match order, with how often each matched and what was found. */
export function RuleTable({ plan, table, chosen }: Props) {
  const navigate = useNavigate();
  const order = useOrder(table.id);
  const findings = useFindings(table.id);
  const matches = useRuleMatches(table.id);
  const [only, setOnly] = useState<Finding["kind"]>();
  const found = useMemo(() => byRule(findings.data ?? []), [findings.data]);
  const rules = useMemo(() => inOrder(table, order.data), [table, order.data]);
  const all = useMemo(() => {
    const counts = new Map(matches.data?.map((m) => [m.rule, m]));
    return rules.map(
      (ordered, place): Row => ({
        ...ordered,
        place,
        findings: found.get(ordered.rule.id) ?? [],
        matches: counts.get(ordered.rule.id),
      }),
    );
  }, [rules, found, matches.data]);
  const rows = useMemo(
    () => (only ? all.filter((r) => r.findings.some((f) => f.kind === only)) : all),
    [all, only],
  );
  const counts: Partial<Record<Finding["kind"], number>> = {};
  for (const kind of all.flatMap((r) => [...new Set(r.findings.map((f) => f.kind))]))
    counts[kind] = (counts[kind] ?? 0) + 1;
  const move = useDraftEdit(({ id, before }: { id: string; before: string }) =>
    take(api.POST("/api/draft/rules/{id}/move", { params: { path: { id } }, body: { before } })),
  );
  const moves = useMemo(
    () => (row: Row) => {
      const up = movable(rules, table, row.place - 1, row);
      const below = movable(rules, table, row.place + 1, row);
      const behind =
        table.order === "as-listed" ? rules[row.place + 2]?.rule.id : table.rules[row.listed + 2]?.id;
      return { up, down: below === undefined ? undefined : (behind ?? "") };
    },
    [rules, table],
  );
  const { mutate, isPending } = move;
  const columns = useMemo(
    () => columnsIn({ plan, table, narrow: chosen !== undefined, moves, move: mutate, busy: isPending }),
    [plan, table, chosen, moves, mutate, isPending],
  );
  return (
    <section className="flex min-h-0 min-w-0 flex-col" aria-label={`Rules of ${table.name}`}>
      <header className="flex flex-wrap items-center gap-x-3 border-b border-line bg-sunk px-4 py-1">
        <h1 className="min-w-0 truncate font-semibold" title={table.name}>
          {table.name}
        </h1>
        <PolicySelect table={table} />
        <span className="truncate text-dense text-soft">
          number format: {table.format ? table.format.replace("-", " ") : "as dialled"}
        </span>
        <TableSettings key={table.id} table={table} />
        {table.rules.length === 0 && <TakeTableOut table={table} />}
      </header>
      {order.isError && <Failure error={order.error} retry={() => order.refetch()} />}
      {move.isError && <Failure error={move.error} />}
      {found.get("")?.map((f) => (
        <div key={f.text} className="border-b border-line px-4 py-1">
          <FindingLine finding={f} />
        </div>
      ))}
      <DataTable
        key={table.id}
        name={chosen === undefined ? "rules" : "rules-beside"}
        label="Rules"
        rows={rows}
        columns={columns}
        keyOf={(r) => r.rule.id}
        current={chosen}
        onOpen={(r) => navigate(`/routing/${table.id}/${r.rule.id}`)}
        onKey={(e, row) => {
          const to = { ArrowUp: moves(row).up, ArrowDown: moves(row).down }[e.key];
          if (e.altKey && to !== undefined && !isPending) mutate({ id: row.rule.id, before: to });
        }}
        attributes={ruleAttribute}
        tone={(r) => (r.findings.some((f) => f.grave) ? "bad" : undefined)}
        empty="No rule yet: every call is rejected with cause 1."
        bulk={(list, clear) => <Bulk table={table} rules={list.map((r) => r.rule)} clear={clear} />}
      >
        <Link
          to={`/routing/${table.id}/new`}
          className="inline-flex shrink-0 items-center gap-1 text-road underline-offset-2 hover:underline"
        >
          <Plus className="size-4" aria-hidden="true" /> Add rule
        </Link>
        <CountFilter groups={findingLooks} counts={counts} chosen={only} onChoose={setOnly} />
      </DataTable>
    </section>
  );
}

/** What is done with several rules at once. */
function Bulk({ table, rules, clear }: { table: Table; rules: Rule[]; clear: () => void }) {
  const set = useDraftEdit(async (disabled: boolean) => {
    for (const was of rules)
      await take(
        api.PUT("/api/draft/rules", {
          body: { table: table.id, rule: { ...was, disabled: disabled || undefined }, was },
        }),
      );
  });
  const remove = useDraftEdit(async () => {
    for (const { id } of rules) await take(api.DELETE("/api/draft/rules/{id}", { params: { path: { id } } }));
  });
  const busy = set.isPending || remove.isPending;
  return (
    <>
      <Button className="h-7" disabled={busy} onClick={() => set.mutate(true, { onSuccess: clear })}>
        Disable
      </Button>
      <Button className="h-7" disabled={busy} onClick={() => set.mutate(false, { onSuccess: clear })}>
        Enable
      </Button>
      <Button
        look="danger"
        className="h-7"
        disabled={busy}
        onClick={() => remove.mutate(undefined, { onSuccess: clear })}
      >
        Delete selected
      </Button>
      {(set.isError || remove.isError) && <Failure error={set.error ?? remove.error} />}
    </>
  );
}

/** Findings by the id of their rule; empty for the table itself. */
function byRule(list: Finding[]): Map<string, Finding[]> {
  const out = new Map<string, Finding[]>();
  for (const f of list) out.set(f.rule, [...(out.get(f.rule) ?? []), f]);
  return out;
}
