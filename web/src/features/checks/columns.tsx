import type { CheckState, Plan } from "@/api/client";
import { q850Words } from "@/lib/cause";
import { differenceIn } from "@/parts/difference";
import { Ago } from "@/ui/Ago";
import type { Column } from "@/ui/DataTable";
import { Digits } from "@/ui/Digits";
import { StateMark, type Tone } from "@/ui/StateMark";

/** Names of what checks name by id, in a plan. */
export interface Names {
  plan?: Plan;
  trunk: (id: string) => string;
  calendar: (id: string) => string;
}

export function namesIn(plan?: Plan): Names {
  const of = (list: readonly { id: string; name: string }[] | undefined) => {
    const names = new Map(list?.map((o) => [o.id, o.name]));
    return (id: string) => names.get(id) ?? id;
  };
  return { plan, trunk: of(plan?.trunks), calendar: of(plan?.calendars) };
}

const mono = "font-mono text-dense";

export function columnsIn(
  names: Names,
  states: Record<CheckState["state"], { tone: Tone; word: string }>,
): Column<CheckState>[] {
  const order = Object.keys(states);
  return [
    {
      id: "name",
      head: "Check",
      width: "minmax(9rem,1.7fr)",
      text: (c) => c.check.name,
      cell: (c) => (
        <span className="font-semibold" title={c.check.note || c.check.name}>
          {c.check.name}
        </span>
      ),
    },
    {
      id: "state",
      head: "State",
      width: "minmax(8rem,1.6fr)",
      text: (c) => [states[c.state].word, problemOf(c, names)].filter(Boolean).join(": "),
      sort: (c) => order.indexOf(c.state),
      cell: (c) =>
        c.state === "passed" ? (
          "passed"
        ) : (
          <StateMark
            tone={states[c.state].tone}
            word={
              c.state === "failed" ? problemOf(c, names) || "failed" : c.ran ? states.stale.word : "not run"
            }
            title={[
              ...c.differences
                .map((d) => differenceIn(d, names.plan))
                .map((d) => `${d.what}: expected ${d.expected}, actual ${d.actual}`),
              c.touched.length > 0 && `changed since it ran: ${c.touched.join(", ")}`,
            ]
              .filter(Boolean)
              .join("\n")}
          />
        ),
    },
    {
      id: "group",
      head: "Group",
      width: "6rem",
      spare: true,
      text: (c) => c.check.group ?? "",
      cell: (c) => c.check.group,
    },
    {
      id: "from",
      head: "From",
      width: "5rem",
      right: true,
      text: (c) => names.trunk(c.check.from),
      cell: (c) => <span className={/^\d/.test(c.check.from) ? mono : ""}>{names.trunk(c.check.from)}</span>,
    },
    {
      id: "called",
      head: "Called",
      width: "10.5rem",
      right: true,
      text: (c) => c.check.called,
      cell: (c) => (
        <span className={mono}>{c.check.called || <span className="text-soft">no digits</span>}</span>
      ),
    },
    {
      id: "outcome",
      head: "Expected",
      width: "9rem",
      text: (c) => expectedOf(c),
      cell: (c) => (
        <span title={c.check.expected.cause ? q850Words(c.check.expected.cause) : ""}>{expectedOf(c)}</span>
      ),
    },
    {
      id: "by",
      head: "Outbound trunk",
      width: "minmax(6.5rem,0.6fr)",
      text: (c) => (c.check.expected.trunkOut ? names.trunk(c.check.expected.trunkOut) : ""),
      cell: (c) => c.check.expected.trunkOut && names.trunk(c.check.expected.trunkOut),
    },
    {
      id: "called-out",
      head: "Called out",
      width: "8.5rem",
      right: true,
      text: (c) => c.check.expected.calledOut ?? "",
      cell: (c) => <Digits number={c.check.expected.calledOut ?? ""} className="text-dense" />,
    },
    {
      id: "calling-out",
      head: "Calling out",
      width: "8.5rem",
      right: true,
      text: (c) => c.check.expected.callerOut ?? "",
      cell: (c) => <Digits number={c.check.expected.callerOut ?? ""} className="text-dense" />,
    },
    {
      id: "simulates",
      head: "Conditions",
      width: "minmax(5.5rem,1fr)",
      text: (c) => conditionsOf(c, names),
      cell: (c) => <span title={conditionsOf(c, names)}>{conditionsOf(c, names)}</span>,
    },
    {
      id: "ran",
      head: "Last run",
      width: "5rem",
      right: true,
      text: (c) => c.ran ?? "",
      sort: (c) => (c.ran ? -Date.parse(c.ran) : undefined),
      cell: (c) => (
        <span title={c.who && `by ${c.who}`}>
          {c.ran ? <Ago at={c.ran} /> : <span className="text-soft">never</span>}
        </span>
      ),
    },
  ];
}

/** The first thing that differed in the last run. */
function problemOf(c: CheckState, names: Names): string {
  const [first] = c.differences;
  if (c.state !== "failed" || !first) return "";
  const { what, actual } = differenceIn(first, names.plan);
  return `${what}: ${actual}`;
}

function expectedOf({ check: { expected } }: CheckState): string {
  const outcome = expected.outcome === "refused" ? "rejected" : expected.outcome;
  return expected.cause ? `${outcome}, cause ${expected.cause}` : outcome;
}

/** Under which conditions, in words. */
function conditionsOf({ check: c }: CheckState, names: Names): string {
  const { time, overrides = {}, down = [], full = [] } = c.simulate ?? {};
  return [
    time
      ?.replace("T", " ")
      .replace(/:00(\.000)?(?=Z|[+-])/, " ")
      .replace("Z", "UTC"),
    c.caller && `calling ${c.caller}`,
    ...Object.entries(overrides).map(([h, state]) => `${names.calendar(h)} ${state}`),
    down.length > 0 && `${down.map(names.trunk).join(", ")} down`,
    full.length > 0 && `${full.map(names.trunk).join(", ")} full`,
  ]
    .filter(Boolean)
    .join("; ");
}
