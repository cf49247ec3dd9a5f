import type { Plan } from "@/api/client";

/** The lists of a plan, and what one of their objects is called. */
const kinds: Record<string, string> = {
  switches: "switch",
  farEnds: "far end",
  trunks: "trunk",
  tables: "table",
  rules: "rule",
  paths: "path",
  destinations: "destination",
  callerGroups: "caller group",
  calendars: "calendar",
  checks: "check",
  numbers: "number",
};

/** What an object of a kind is called: callerGroup is a caller group. */
export const kindInWords = (kind: string) => kind.replace(/[A-Z]/g, (c) => ` ${c.toLowerCase()}`);

/** A place in a plan or a request in words: /trunks/ostrel/link/sip/remoteAddress is "trunk Ostrel, link sip remote address". */
export function placeInWords(place: string, plan?: Plan): string {
  const parts = place
    .replace(/^body\./, "")
    .split(/[/.]/)
    .filter(Boolean);
  const out: string[] = [];
  for (let i = 0; i < parts.length; i++) {
    const kind = kinds[parts[i] ?? ""];
    const id = parts[i + 1];
    if (kind !== undefined && id !== undefined) {
      out.push(`${kind} ${nameOf(plan, parts[i] ?? "", id)}`);
      i++;
    } else {
      out.push(parts.slice(i).map(fieldInWords).join(" "));
      break;
    }
  }
  return out.join(", ");
}

function nameOf(plan: Plan | undefined, kind: string, id: string): string {
  const list =
    kind === "rules"
      ? plan?.tables.flatMap((t) => t.rules)
      : (plan as Record<string, { id: string; name?: string }[]> | undefined)?.[kind];
  return (Array.isArray(list) ? list.find((x) => x.id === id)?.name : undefined) ?? id;
}

/** A field's name as words; a place in a list counts from 1. */
const fieldInWords = (field: string) =>
  /^\d+$/.test(field) ? String(Number(field) + 1) : field.replace(/([a-z])([A-Z])/g, "$1 $2").toLowerCase();
