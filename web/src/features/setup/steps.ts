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
  called: boolean;
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
      about: "Country, area code and listening address.",
      to: "/plan/switches/new",
      action: "Add a switch",
      done: plan.switches.length > 0,
    },
    {
      name: "Far end",
      about: "A phone system, carrier or gateway.",
      to: "/plan/farEnds/new",
      action: "Add a far end",
      done: plan.farEnds.length > 0,
    },
    {
      name: "Trunk",
      about: "The connection between switch and far end; a profile fills its settings.",
      to: "/plan/trunks/new",
      action: "Add a trunk",
      done: plan.trunks.length > 0,
    },
    {
      name: "Path",
      about: "Outbound trunks in failover order.",
      to: "/plan/paths/new",
      action: "Add a path",
      done: plan.paths.length > 0 || plan.destinations.length > 0,
    },
    {
      name: "Routing table",
      about: "A list of rules.",
      to: "/routing",
      action: "Add a table",
      done: plan.tables.length > 0,
    },
    {
      name: "Entry",
      about: "The inbound routing table of the trunk.",
      to: first ? `/plan/trunks/${first.id}` : "/plan/trunks/new",
      action: "Set the inbound table",
      done: enters !== undefined,
    },
    {
      name: "Rule",
      about: "A dial pattern and its destination or path.",
      to: table ? `/routing/${table.id}/new` : "/routing",
      action: "Add a rule",
      done: rules.length > 0,
    },
    {
      name: "Go live",
      about: "Makes the draft the live plan.",
      to: "/changes",
      action: "Review and go live",
      done: reached.revision > 0 && reached.changes === 0,
    },
    {
      name: "First call",
      about: "A dry run or a live call.",
      to: "/test-call",
      action: "Place a test call",
      done: reached.revision > 0 && reached.called,
    },
  ];
}

/** The step to do next; undefined when all are done. */
export const nextOf = (steps: Step[]): Step | undefined => steps.find((s) => !s.done);
