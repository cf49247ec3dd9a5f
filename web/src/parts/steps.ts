import type { DigitStep, Plan, Then } from "@/api/client";

/** The digit steps, in words, and which fields each has. */
export const ops: {
  op: DigitStep["op"];
  word: string;
  fields: ("count" | "digits" | "prefix" | "blocks" | "format")[];
}[] = [
  { op: "remove-first", word: "remove first", fields: ["count"] },
  { op: "remove-last", word: "remove last", fields: ["count"] },
  { op: "keep-first", word: "keep first", fields: ["count"] },
  { op: "keep-last", word: "keep last", fields: ["count"] },
  { op: "add-prefix", word: "add prefix", fields: ["digits"] },
  { op: "add-suffix", word: "add suffix", fields: ["digits"] },
  { op: "replace-all", word: "replace all by", fields: ["digits"] },
  { op: "replace-prefix", word: "replace prefix", fields: ["prefix", "digits"] },
  { op: "map-block", word: "map block", fields: ["blocks"] },
  { op: "convert-to", word: "convert to", fields: ["format"] },
  { op: "interpret-as", word: "interpret as", fields: ["format"] },
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
    ...(fields.includes("format") && { format: "e164" }),
    ...(fields.includes("blocks") && { from: { first: "", last: "" }, to: { first: "", last: "" } }),
  };
}

/** A step in a few words, for lists; the trail has the switch's own words. */
export function shortStep(s: DigitStep): string {
  const word = ops.find((o) => o.op === s.op)?.word ?? s.op;
  if (s.op === "map-block") return `${s.from?.first}…${s.from?.last} → ${s.to?.first}…${s.to?.last}`;
  if (s.op === "replace-prefix") return `${s.prefix} → ${s.digits}`;
  return `${word} ${s.count ?? s.format ?? s.digits ?? ""}`;
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
  if (then.setCalendar) {
    const { calendar: hours, state } = then.setCalendar;
    const name = plan.calendars?.find((h) => h.id === hours)?.name ?? hours;
    return state ? { word: "set", name: `${name} to ${state}` } : { word: "set free", name };
  }
  return { word: "refuse with cause", name: String(then.rejectCause ?? "") };
}
