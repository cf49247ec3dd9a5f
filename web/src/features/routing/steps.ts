import type { DigitStep, Plan, Then } from "@/api/client";

/** The digit steps, in words, and which fields each has. */
export const ops: {
  op: DigitStep["op"];
  word: string;
  fields: ("count" | "digits" | "prefix" | "blocks" | "form")[];
}[] = [
  { op: "drop-first", word: "drop first", fields: ["count"] },
  { op: "drop-last", word: "drop last", fields: ["count"] },
  { op: "keep-first", word: "keep first", fields: ["count"] },
  { op: "keep-last", word: "keep last", fields: ["count"] },
  { op: "put-before", word: "put before", fields: ["digits"] },
  { op: "put-after", word: "put after", fields: ["digits"] },
  { op: "replace-with", word: "replace with", fields: ["digits"] },
  { op: "replace-prefix", word: "replace prefix", fields: ["prefix", "digits"] },
  { op: "map-block", word: "map block", fields: ["blocks"] },
  { op: "to-form", word: "to form", fields: ["form"] },
  { op: "read-as", word: "read as", fields: ["form"] },
];

export const forms = ["e164", "e164-bare", "international", "national", "national-bare", "local", "private"];

/** A new step of a kind, with fields to be filled in. */
export function newStep(op: DigitStep["op"]): DigitStep {
  const fields = ops.find((o) => o.op === op)?.fields ?? [];
  return {
    op,
    ...(fields.includes("count") && { count: 1 }),
    ...(fields.includes("digits") && { digits: "" }),
    ...(fields.includes("prefix") && { prefix: "" }),
    ...(fields.includes("form") && { form: "e164" }),
    ...(fields.includes("blocks") && { from: { first: "", last: "" }, to: { first: "", last: "" } }),
  };
}

/** A step in a few words, for lists; the trail has the switch's own words. */
export function shortStep(s: DigitStep): string {
  const word = ops.find((o) => o.op === s.op)?.word ?? s.op;
  if (s.op === "map-block") return `${s.from?.first}…${s.from?.last} → ${s.to?.first}…${s.to?.last}`;
  if (s.op === "replace-prefix") return `${s.prefix} → ${s.digits}`;
  return `${word} ${s.count ?? s.form ?? s.digits ?? ""}`;
}

/** Where a rule sends a call, in words. */
export function thenText(then: Then, plan: Plan): { word: string; name: string } {
  if (then.table)
    return { word: "go on in", name: plan.tables.find((t) => t.id === then.table)?.name ?? then.table };
  if (then.path)
    return { word: "take path", name: plan.paths.find((p) => p.id === then.path)?.name ?? then.path };
  if (then.destination) {
    return {
      word: "deliver to",
      name: plan.destinations.find((d) => d.id === then.destination)?.name ?? then.destination,
    };
  }
  if (then.inventory) return { word: "deliver by", name: "the inventory of numbers" };
  if (then.setHours) {
    const { hours, state } = then.setHours;
    const name = plan.hours?.find((h) => h.id === hours)?.name ?? hours;
    return state ? { word: "set", name: `${name} to ${state}` } : { word: "set free", name };
  }
  return { word: "refuse with cause", name: String(then.refuse ?? "") };
}
