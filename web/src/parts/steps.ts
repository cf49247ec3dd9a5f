import type { DigitStep, Plan, Then } from "@/api/client";
import { digitSteps, stepFormats } from "@/api/words.gen";

type Field = (typeof digitSteps)[number]["fields"][number];

/** The fields that a kind of step uses. */
export const fieldsOf = (op: DigitStep["op"]): readonly Field[] =>
  digitSteps.find((o) => o.op === op)?.fields ?? [];

const empty: Record<Field, Partial<DigitStep>> = {
  count: { count: 1 },
  digits: { digits: "" },
  prefix: { prefix: "" },
  format: { format: stepFormats[0] },
  from: { from: { first: "", last: "" } },
  to: { to: { first: "", last: "" } },
};

/** A new step of a kind, with fields to be filled in. */
export const newStep = (op: DigitStep["op"]): DigitStep =>
  Object.assign({ op }, ...fieldsOf(op).map((f) => empty[f]));

/** A step in a few words, for lists; the trail has the switch's own words. */
export function shortStep(s: DigitStep): string {
  const word = digitSteps.find((o) => o.op === s.op)?.label ?? s.op;
  if (s.op === "map-block") return `${s.from?.first}…${s.from?.last} → ${s.to?.first}…${s.to?.last}`;
  if (s.op === "replace-prefix") return `${s.prefix} → ${s.digits}`;
  return `${word} ${s.count ?? s.format ?? s.digits ?? ""}`;
}

/** Where a rule sends a call, in words. */
export function thenText(then: Then, plan: Plan): { word: string; name: string } {
  if (then.table)
    return { word: "continue in", name: plan.tables.find((t) => t.id === then.table)?.name ?? then.table };
  if (then.path)
    return { word: "route via", name: plan.paths.find((p) => p.id === then.path)?.name ?? then.path };
  if (then.destination) {
    return {
      word: "deliver to",
      name: plan.destinations.find((d) => d.id === then.destination)?.name ?? then.destination,
    };
  }
  if (then.inventory) return { word: "deliver by", name: "the inventory of numbers" };
  if (then.setCalendar) {
    const { calendar: hours, state } = then.setCalendar;
    const name = plan.calendars?.find((h) => h.id === hours)?.name ?? hours;
    return state ? { word: "set", name: `${name} to ${state}` } : { word: "clear override", name };
  }
  return { word: "reject with cause", name: String(then.rejectCause ?? "") };
}
