import type { Change, EditorKind, Plan } from "@/api/client";

/** Of a kind, what its fields are called. */
type Kind = Pick<EditorKind, "kind" | "sections">;

/** What the fields of a rule are called, whose editor is its own; those of other kinds have their labels from the server. */
const ruleFields: Record<string, string> = {
  "match/called": "called pattern",
  "match/caller": "calling pattern",
  "match/trunks": "inbound trunks",
  "match/noDigits": "no digits dialled",
  "match/noCaller": "no calling number",
  "match/when/calendar": "calendar",
  "match/when/states": "calendar states",
  calledSteps: "called number steps",
  callerSteps: "calling number steps",
  "then/path": "path",
  "then/destination": "destination",
  "then/table": "continue in table",
  "then/inventory": "by number inventory",
  catchAll: "catch-all",
  complete: "complete number",
  callerGroups: "caller groups",
};

/** Which list of the plan a field names objects of, by its last part. */
const named: Record<string, keyof Plan> = {
  path: "paths",
  destination: "destinations",
  lastResort: "destinations",
  table: "tables",
  inboundTable: "tables",
  choices: "trunks",
  trunk: "trunks",
  trunks: "trunks",
  oppositeTrunk: "trunks",
  switch: "switches",
  farEnd: "farEnds",
  callerGroups: "callerGroups",
  calendar: "calendars",
};

/** What a field of a changed object is called, as its editor calls it. */
export function fieldLabel(change: Pick<Change, "kind">, field: string, kinds: Kind[]): string {
  if (change.kind === "rule" && ruleFields[field]) return ruleFields[field];
  const settings = kinds.find((k) => k.kind === change.kind)?.sections.flatMap((s) => s.settings);
  if (change.kind === "path" && field === "choices") return "trunks";
  const label = settings?.find((s) => s.place === field)?.label;
  if (label) return label.charAt(0).toLowerCase() + label.slice(1);
  return field
    .split("/")
    .map((part) => part.replace(/([a-z])([A-Z])/g, "$1 $2").toLowerCase())
    .join(" › ");
}

/** A value as it is read: names for the ids of objects, each element of a list alone. */
export function valuesIn(field: string, value: string, plan?: Plan): string[] {
  if (!value) return [];
  const list = named[field.split("/").at(-1) ?? ""];
  const objects = list && plan ? (plan[list] as { id: string; name?: string }[] | undefined) : undefined;
  return value.split("; ").map((one) => objects?.find((o) => o.id === one)?.name ?? one);
}
