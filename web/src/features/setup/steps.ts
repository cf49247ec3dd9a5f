import type { Plan } from "@/api/client";

/** One step of the first set-up: what it is for, and where it is done. */
export interface Step {
  name: string;
  about: string;
  to: string;
  action: string;
  done: boolean;
}

/** What a set-up has come to beside the draft. */
export interface Reached {
  /** The revision that carries calls; 0 is none. */
  revision: number;
  /** How many changes of the draft are not live. */
  changes: number;
  calls: number;
}

/** The steps from an empty plan to the first call, in their order. */
export function stepsOf(plan: Plan, reached: Reached): Step[] {
  const rules = plan.tables.flatMap((t) => t.rules);
  const enters = plan.trunks.find((t) => t.inboundTable);
  const first = plan.trunks[0];
  const table = plan.tables[0];
  return [
    {
      name: "Switch",
      about: "Its country and area code, by which numbers are read, and the address on which it listens.",
      to: "/plan/switches/new",
      action: "Add a switch",
      done: plan.switches.length > 0,
    },
    {
      name: "Far end",
      about: "A phone system, a carrier, a gateway: what is on the other side of a trunk.",
      to: "/plan/farEnds/new",
      action: "Add a far end",
      done: plan.farEnds.length > 0,
    },
    {
      name: "Trunk",
      about: "The connection between them. A profile fills its settings and says why each is so.",
      to: "/plan/trunks/new",
      action: "Add a trunk",
      done: plan.trunks.length > 0,
    },
    {
      name: "Path",
      about: "The trunks over which calls leave, in their order: where one fails, the next is tried.",
      to: "/plan/paths/new",
      action: "Add a path",
      done: plan.paths.length > 0 || plan.destinations.length > 0,
    },
    {
      name: "Routing table",
      about: "A list of rules. Calls from a trunk enter at one table.",
      to: "/routing",
      action: "Add a table",
      done: plan.tables.length > 0,
    },
    {
      name: "Entry",
      about: "The table that decides the calls which come by the trunk.",
      to: first ? `/plan/trunks/${first.id}` : "/plan/trunks/new",
      action: "Set the entry of the trunk",
      done: enters !== undefined,
    },
    {
      name: "Rule",
      about: "What is dialled, and where it goes: a destination, or a path over one or more trunks.",
      to: table ? `/routing/${table.id}/new` : "/routing",
      action: "Add a rule",
      done: rules.length > 0,
    },
    {
      name: "Go live",
      about: "The draft is compared and proved, and then carries calls.",
      to: "/changes",
      action: "Review and go live",
      done: reached.revision > 0 && reached.changes === 0,
    },
    {
      name: "First call",
      about: "A test call by the plan, dry or over the real trunk.",
      to: "/try",
      action: "Place a test call",
      done: reached.revision > 0 && reached.calls > 0,
    },
  ];
}

/** The step to do next; undefined when all are done. */
export const nextOf = (steps: Step[]): Step | undefined => steps.find((s) => !s.done);
