import { ArrowDown, ArrowUp } from "lucide-react";
import type { ReactNode } from "react";
import type { Finding, Plan, Rule, RuleMatches, Table } from "@/api/client";
import { shortStep, thenText } from "@/parts/steps";
import { Ago } from "@/ui/Ago";
import { Button } from "@/ui/controls";
import type { Column } from "@/ui/DataTable";
import { FindingMark } from "./Findings";
import type { Ordered } from "./order";

/** A rule as the table lists it. */
export interface Row extends Ordered {
  /** Place in match order. */
  place: number;
  findings: Finding[];
  matches?: RuleMatches;
}

interface Context {
  plan: Plan;
  table: Table;
  /** An editor is beside it: only what tells a rule from others. */
  narrow: boolean;
  /** Before which rule a row goes when it is moved; undefined where it cannot be. */
  moves: (row: Row) => { up?: string; down?: string };
  move: (to: { id: string; before: string }) => void;
  busy: boolean;
}

const mono = "font-mono text-dense";

export function columnsIn({ plan, table, narrow, moves, move, busy }: Context): Column<Row>[] {
  const then = (r: Row) => thenText(r.rule.then, plan);
  const thenWords = (r: Row) => `${then(r).word} ${then(r).name}`;
  const conditional = table.rules.some((r) => conditionsOf(r, plan) !== "");
  const columns: (Column<Row> | false)[] = [
    {
      id: "place",
      head: "#",
      title: "Match order",
      width: "3rem",
      right: true,
      text: (r) => String(r.place + 1),
      sort: (r) => r.place,
      cell: (r) => <span className={`${mono} text-soft`}>{r.place + 1}</span>,
    },
    {
      id: "called",
      head: "Called pattern",
      width: narrow ? "minmax(7rem,1fr)" : "minmax(9rem,1.1fr)",
      text: (r) => calledOf(r.rule),
      cell: (r) => (
        <span className={r.rule.match.called ? mono : "text-soft italic"} title={calledOf(r.rule)}>
          {calledOf(r.rule)}
        </span>
      ),
    },
    {
      id: "name",
      head: "Rule",
      width: narrow ? "minmax(8rem,1.4fr)" : "minmax(10rem,1.5fr)",
      text: (r) => r.rule.name,
      cell: (r) => (
        <span title={r.rule.note || r.rule.name}>
          <span className={`font-semibold ${r.rule.disabled ? "text-soft line-through" : ""}`}>
            {r.rule.name}
          </span>
          {r.rule.disabled && <span className="text-soft"> disabled</span>}
          {r.rule.catchAll && <span className="text-soft"> catch-all</span>}
        </span>
      ),
    },
    conditional &&
      !narrow && {
        id: "conditions",
        head: "Only if",
        width: "minmax(5.5rem,1fr)",
        text: (r) => conditionsOf(r.rule, plan),
        cell: (r) => <span title={conditionsOf(r.rule, plan)}>{conditionsOf(r.rule, plan)}</span>,
      },
    !narrow && {
      id: "steps",
      head: "Digit steps",
      width: "minmax(8rem,1.6fr)",
      text: (r) => stepsOf(r.rule),
      cell: (r) => (
        <span className="text-dense" title={stepsOf(r.rule)}>
          {stepsOf(r.rule)}
        </span>
      ),
    },
    {
      id: "then",
      head: "Destination",
      width: "minmax(8.5rem,1.3fr)",
      text: thenWords,
      cell: (r) => (
        <span title={thenWords(r)}>
          {then(r).name} <span className="text-soft">{then(r).kind}</span>
        </span>
      ),
    },
    table.order === "specific-first" &&
      !narrow && {
        id: "precedes",
        head: "Precedes",
        width: "minmax(9rem,1.2fr)",
        text: precedes,
        cell: (r) => <span title={precedes(r)}>{precedes(r)}</span>,
      },
    !narrow && {
      id: "calls",
      head: "24 h",
      title: "Calls matched in 24 h",
      width: "3.5rem",
      right: true,
      text: (r) => String(r.matches?.calls ?? 0),
      sort: (r) => r.matches?.calls ?? 0,
      cell: (r) => <span className={mono}>{r.matches?.calls || ""}</span>,
    },
    !narrow && {
      id: "last",
      head: "Last match",
      width: "5.5rem",
      right: true,
      text: (r) => r.matches?.last ?? "",
      sort: (r) => (r.matches ? -Date.parse(r.matches.last) : undefined),
      cell: (r) => (r.matches ? <Ago at={r.matches.last} /> : ""),
    },
    {
      id: "findings",
      head: "Findings",
      width: narrow ? "minmax(4rem,0.7fr)" : "minmax(8.5rem,0.8fr)",
      text: (r) => r.findings.map((f) => f.text).join("; "),
      sort: (r) => -r.findings.reduce((n, f) => n + (f.grave ? 1000 : 1), 0),
      cell: (r) => (
        <span className="inline-flex max-w-full gap-2 align-bottom">
          {r.findings.map((f) => (
            <FindingMark key={f.kind + f.text} finding={f} />
          ))}
        </span>
      ),
    },
    !narrow && {
      id: "move",
      head: "Move",
      width: "5.5rem",
      cell: (r) => {
        const { up, down } = moves(r);
        return (
          <span className="inline-flex align-middle">
            <MoveButton
              label={`Move ${r.rule.name} up`}
              to={up}
              busy={busy}
              onMove={(before) => move({ id: r.rule.id, before })}
            >
              <ArrowUp className="size-3.5" aria-hidden="true" />
            </MoveButton>
            <MoveButton
              label={`Move ${r.rule.name} down`}
              to={down}
              busy={busy}
              onMove={(before) => move({ id: r.rule.id, before })}
            >
              <ArrowDown className="size-3.5" aria-hidden="true" />
            </MoveButton>
          </span>
        );
      },
    },
  ];
  return columns.filter((c) => c !== false);
}

interface MoveProps {
  label: string;
  to?: string;
  busy: boolean;
  onMove: (before: string) => void;
  children: ReactNode;
}

function MoveButton({ label, to, busy, onMove, children }: MoveProps) {
  return (
    <Button
      look="bare"
      className="h-6 px-1"
      tabIndex={-1}
      disabled={to === undefined || busy}
      onClick={() => to !== undefined && onMove(to)}
      aria-label={label}
      title={`${label} (Alt and arrow)`}
    >
      {children}
    </Button>
  );
}

function calledOf({ match }: Rule): string {
  if (match.noDigits) return "no digits";
  return match.called || "any number";
}

/** Beside the called number: what must hold for the rule to match. */
function conditionsOf({ match, callerGroups, complete }: Rule, plan: Plan): string {
  const named = (list: readonly { id: string; name: string }[] | undefined, ids: readonly string[] = []) =>
    ids.map((id) => list?.find((o) => o.id === id)?.name ?? id).join(" or ");
  const { caller, noCaller, trunks, trunkGroups, when } = match;
  return [
    noCaller && "no calling number",
    caller && `calling ${caller}`,
    trunks?.length && `from ${named(plan.trunks, trunks)}`,
    trunkGroups?.length && `from group ${trunkGroups.join(" or ")}`,
    when?.calendar && `${named(plan.calendars, [when.calendar])} ${when.states?.join(" or ")}`,
    callerGroups?.length && `for ${named(plan.callerGroups, callerGroups)}`,
    complete === "at-once" && "routed at once",
  ]
    .filter(Boolean)
    .join("; ");
}

/** What the rule does to the numbers, in the order in which it does. */
function stepsOf({ calledSteps = [], callerSteps = [] }: Rule): string {
  return [
    calledSteps.length > 0 && `called: ${calledSteps.map(shortStep).join(", ")}`,
    callerSteps.length > 0 && `calling: ${callerSteps.map(shortStep).join(", ")}`,
  ]
    .filter(Boolean)
    .join("; ");
}

/** Why a rule precedes another, wherever it is in the list. */
function precedes({ before, example }: Row): string {
  if (!before) return "";
  return `${before.name}, which matches the same calls${example ? `, e.g. ${example}` : ""}`;
}
