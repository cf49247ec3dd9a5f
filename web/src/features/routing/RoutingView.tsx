import { ArrowDown, ArrowUp, Compass, Plus } from "lucide-react";
import { memo, useMemo, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, type Finding, type Placed, type Plan, type Rule, type Table, take } from "@/api/client";
import { useDraft, useDraftEdit, useFindings, useOrder } from "@/api/queries";
import { lastDialled } from "@/lib/lastDialled";
import { Button, FieldError, inputLook } from "@/ui/controls";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { VirtualList } from "@/ui/VirtualList";
import { FindingLine, FindingMark } from "./Findings";
import { RuleEditor } from "./RuleEditor";
import { shortStep, thenText } from "./steps";
import { AddTable, TakeTableOut } from "./tables";

/** The draft's routing tables: their rules in effective order, and an editor. */
export function RoutingView() {
  const draft = useDraft();
  const { table: tableID, rule: ruleID } = useParams();
  // A number that somebody typed is held against every rule that they look at.
  const [sample, setSample] = useState(lastDialled.get);
  if (draft.isPending) return <Loading what="the draft" />;
  if (!draft.data) return <Failure error={draft.error} retry={() => draft.refetch()} />;
  const { plan } = draft.data;
  const table = plan.tables.find((t) => t.id === tableID) ?? plan.tables[0];
  if (!table) return <Empty>The draft has no routing table.</Empty>;
  const rule = table.rules.find((r) => r.id === ruleID);
  const editing = rule ?? (ruleID === "new" ? emptyRule() : undefined);
  return (
    <div className="grid h-full grid-cols-[12.5rem_minmax(0,1fr)_25rem]">
      <TableList plan={plan} chosen={table.id} />
      <RuleList plan={plan} table={table} chosen={ruleID} />
      {editing ? (
        <RuleEditor
          key={editing.id || "new"}
          plan={plan}
          table={table}
          rule={editing}
          sample={sample}
          onSample={setSample}
        />
      ) : (
        <aside className="border-l border-line bg-sheet">
          <Empty>Choose a rule to see and edit what it matches and what it does to a number.</Empty>
        </aside>
      )}
    </div>
  );
}

function emptyRule(): Rule {
  return { id: "", name: "", match: {}, then: {} };
}

const TableList = memo(function TableList({ plan, chosen }: { plan: Plan; chosen: string }) {
  const sources = useMemo(() => sourcesOf(plan), [plan]);
  return (
    <nav aria-label="Routing tables" className="overflow-auto border-r border-line bg-sheet py-2">
      <Link
        to="/guide"
        className="mx-3 mb-1 flex items-center gap-1.5 text-[13px] text-road underline-offset-2 hover:underline"
      >
        <Compass className="size-4 shrink-0" aria-hidden="true" /> A start for calls out
      </Link>
      {plan.switches.map((sw) => (
        <div key={sw.id}>
          <div className="flex items-center px-3 py-1 text-[13px] text-soft">
            Switch {sw.name}
            <AddTable plan={plan} switchID={sw.id} switchName={sw.name} />
          </div>
          {plan.tables
            .filter((t) => t.switch === sw.id)
            .map((t) => (
              <Link
                key={t.id}
                to={`/routing/${t.id}`}
                aria-current={t.id === chosen ? "page" : undefined}
                className="block px-3 py-1.5 break-words hover:bg-road-wash aria-[current=page]:bg-road-wash aria-[current=page]:font-semibold"
              >
                {t.name}
                <span className="block text-[12px] font-normal text-soft">
                  {sources.has(t.id) ? `from ${sources.get(t.id)}` : "nothing enters here"}
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
  for (const t of plan.trunks) add(t.entry, t.name);
  for (const t of plan.tables) for (const r of t.rules) add(r.then.table, t.name);
  for (const t of plan.trunks) add(t.services?.table, `${t.name}, when it sends calls on`);
  for (const g of plan.groups ?? []) add(g.table, `group ${g.name}`);
  return new Map([...sources].map(([table, who]) => [table, [...who].join(", ")]));
}

function RuleList({ plan, table, chosen }: { plan: Plan; table: Table; chosen?: string }) {
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
          patterns are written {table.form ? table.form.replace("-", " ") : "as dialled"}
        </span>
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
  const own = { name: table.name, form: table.form, note: table.note };
  const put = useDraftEdit((policy: Table["policy"]) =>
    take(
      api.PUT("/api/draft/tables/{id}", {
        params: { path: { id: table.id } },
        body: { ...own, policy, was: { ...own, policy: table.policy } },
      }),
    ),
  );
  return (
    <label className="flex shrink-0 items-center gap-1.5 text-[13px] text-soft">
      tried
      <select
        className={`${inputLook} h-7 w-auto`}
        value={table.policy}
        disabled={put.isPending}
        onChange={(e) => put.mutate(e.target.value as Table["policy"])}
      >
        <option value="as-listed">as listed</option>
        <option value="specific-first">specific first</option>
      </select>
      {put.isError && <FieldError>{put.error.message}</FieldError>}
    </label>
  );
}

/** A rule, its place in the list, and the rule that it stands before and why. */
interface Ordered {
  rule: Rule;
  listed: number;
  before?: Rule;
  example?: string;
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

interface RowProps {
  plan: Plan;
  table: Table;
  ordered: Ordered;
  /** Place in the order in which rules are tried. */
  place: number;
  /** The rules that it can change places with, by their ids, and the one behind those. */
  above?: string;
  below?: string;
  behind: string;
  chosen: boolean;
  findings?: Finding[];
}

/**
 * The rule at a place that another can change places with. As listed, that is its
 * neighbour of the same sort: those of last resort stand behind all others. Specific
 * first orders by itself, and the list is what is moved in.
 */
function movable(rules: Ordered[], table: Table, place: number, moving: Ordered): string | undefined {
  if (table.policy === "specific-first") {
    const step = place - rules.indexOf(moving);
    return table.rules[moving.listed + step]?.id;
  }
  const next = rules[place]?.rule;
  return next && (next.lastResort ?? false) === (moving.rule.lastResort ?? false) ? next.id : undefined;
}

/** Findings by the id of their rule; empty for the table itself. */
function byRule(list: Finding[]): Map<string, Finding[]> {
  const out = new Map<string, Finding[]>();
  for (const f of list) out.set(f.rule, [...(out.get(f.rule) ?? []), f]);
  return out;
}

function RuleRow({ plan, table, ordered, place, above, below, behind, chosen, findings }: RowProps) {
  const { rule, listed, before, example } = ordered;
  const navigate = useNavigate();
  const move = useDraftEdit((before: string) =>
    take(api.POST("/api/draft/rules/{id}/move", { params: { path: { id: rule.id } }, body: { before } })),
  );
  const up = () => above && move.mutate(above);
  const down = () =>
    below && move.mutate(table.policy === "as-listed" ? behind : (table.rules[listed + 2]?.id ?? ""));
  const then = thenText(rule.then, plan);
  const open = () => navigate(`/routing/${table.id}/${rule.id}`);
  return (
    <div
      data-rule={rule.id}
      className={`grid grid-cols-[2.9rem_minmax(0,1fr)_auto] items-start border-b border-line ${chosen ? "bg-road-wash" : ""} ${rule.disabled ? "opacity-60" : ""}`}
    >
      <span className="pt-2 text-right font-mono text-[13px] text-soft">{place + 1}</span>
      <button
        type="button"
        data-row
        onClick={open}
        onKeyDown={(e) => {
          if (e.altKey && e.key === "ArrowUp") up();
          if (e.altKey && e.key === "ArrowDown") down();
        }}
        className="min-w-0 px-3 py-2 text-left"
      >
        <div className="flex flex-wrap items-baseline gap-x-3">
          <MatchText rule={rule} plan={plan} />
          <span className="truncate font-semibold">{rule.name}</span>
          {rule.disabled && <span className="text-soft">disabled</span>}
          {rule.lastResort && <span className="text-soft">last resort</span>}
          {findings?.map((f) => (
            <FindingMark key={f.kind + f.text} finding={f} />
          ))}
        </div>
        <div className="mt-0.5 flex flex-wrap items-center gap-x-2 gap-y-1 text-[13px]">
          {(rule.called ?? []).map((s) => (
            <StepChip key={JSON.stringify(s)} number="called" text={shortStep(s)} />
          ))}
          {(rule.caller ?? []).map((s) => (
            <StepChip key={JSON.stringify(s)} number="caller" text={shortStep(s)} />
          ))}
          <span>
            <span className="text-soft">{then.word}</span> <span className="font-semibold">{then.name}</span>
          </span>
          {rule.for && rule.for.length > 0 && (
            <span className="text-soft">
              only for {rule.for.map((id) => plan.groups?.find((g) => g.id === id)?.name ?? id).join(" and ")}
            </span>
          )}
          {rule.complete === "at-once" && <span className="text-soft">connects at once</span>}
        </div>
        {before && <PlaceReason before={before} example={example} />}
        {move.isError && <Failure error={move.error} />}
      </button>
      <span className="flex flex-col p-1">
        <MoveButton
          label={`Move ${rule.name} up`}
          onClick={up}
          disabled={!above || move.isPending}
          icon={<ArrowUp className="size-3.5" />}
        />
        <MoveButton
          label={`Move ${rule.name} down`}
          onClick={down}
          disabled={!below || move.isPending}
          icon={<ArrowDown className="size-3.5" />}
        />
      </span>
    </div>
  );
}

/** Why a rule stands before another, wherever it is in the list. */
function PlaceReason({ before, example }: { before: Rule; example?: string }) {
  return (
    <div className="mt-0.5 text-[13px] text-soft">
      before <span className="text-ink">{before.name}</span>: every call that it takes that one would take too
      {example && (
        <>
          , e.g. <span className="font-mono text-ink">{example}</span>
        </>
      )}
    </div>
  );
}

function MoveButton({
  label,
  onClick,
  disabled,
  icon,
}: {
  label: string;
  onClick: () => void;
  disabled: boolean;
  icon: React.ReactNode;
}) {
  return (
    <Button
      look="bare"
      className="h-6 px-1"
      onClick={onClick}
      disabled={disabled}
      aria-label={label}
      title={`${label} (Alt and arrow)`}
    >
      {icon}
    </Button>
  );
}

function MatchText({ rule, plan }: { rule: Rule; plan: Plan }) {
  const { called, caller, noDigits, noCaller, from, fromGroups, when } = rule.match;
  return (
    <span className="font-mono text-[15px]">
      {noDigits ? (
        <span className="font-sans italic">no digits</span>
      ) : (
        called || <span className="font-sans italic">any number</span>
      )}
      {(caller || noCaller) && (
        <span className="text-[13px] text-soft">
          {" "}
          caller {noCaller ? <span className="font-sans italic">none</span> : caller}
        </span>
      )}
      {from && from.length > 0 && (
        <span className="font-sans text-[13px] text-soft">
          {" "}
          from {from.map((id) => plan.trunks.find((t) => t.id === id)?.name ?? id).join(", ")}
        </span>
      )}
      {fromGroups && fromGroups.length > 0 && (
        <span className="font-sans text-[13px] text-soft"> from group {fromGroups.join(", ")}</span>
      )}
      {when?.hours && (
        <span className="font-sans text-[13px] text-soft">
          {" "}
          while {plan.hours?.find((h) => h.id === when.hours)?.name ?? when.hours} is{" "}
          {when.states?.join(" or ")}
        </span>
      )}
    </span>
  );
}

function StepChip({ number, text }: { number: "called" | "caller"; text: string }) {
  return (
    <span className="rounded-[3px] border border-line bg-sheet px-1.5">
      <span className="text-soft">{number}</span> <span className="font-mono">{text}</span>
    </span>
  );
}
