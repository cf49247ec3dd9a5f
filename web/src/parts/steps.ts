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
  switch (s.op) {
    case "map-block":
      return `${s.from?.first}–${s.from?.last} → ${s.to?.first}–${s.to?.last}`;
    case "replace-prefix":
      return `${s.prefix} → ${s.digits}`;
    case "remove-first":
      return `del first ${s.count}`;
    case "remove-last":
      return `del last ${s.count}`;
    case "add-prefix":
      return `add ${s.digits}`;
    case "replace-all":
      return `→ ${s.digits}`;
    case "interpret-as":
      return `as ${s.format}`;
    case "convert-to":
      return `to ${s.format}`;
  }
  return `${word} ${s.count ?? s.format ?? s.digits ?? ""}`;
}

/** Where a rule sends a call: the verb, the object's name, and its kind. */
export function thenText(then: Then, plan: Plan): { word: string; name: string; kind: string } {
  const named = (list: readonly { id: string; name: string }[] | undefined, id: string) =>
    list?.find((o) => o.id === id)?.name ?? id;
  if (then.table) return { word: "continue in", name: named(plan.tables, then.table), kind: "table" };
  if (then.path) return { word: "route via", name: named(plan.paths, then.path), kind: "path" };
  if (then.destination)
    return { word: "deliver to", name: named(plan.destinations, then.destination), kind: "" };
  if (then.inventory) return { word: "deliver by", name: "number inventory", kind: "" };
  if (then.setCalendar) {
    const { calendar, state } = then.setCalendar;
    const name = named(plan.calendars, calendar);
    return state
      ? { word: "set", name: `${name} to ${state}`, kind: "override" }
      : { word: "clear override", name, kind: "override" };
  }
  return { word: "reject with cause", name: String(then.rejectCause ?? ""), kind: "cause" };
}
