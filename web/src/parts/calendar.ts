import type { HoursDay } from "@/api/client";
import { day, minutes } from "@/lib/time";

type Because = HoursDay["spans"][number]["because"];

/** What gives a state, in words. */
export function because(b: Because): string {
  switch (b.by) {
    case "override":
      return "override";
    case "date":
      return b.name ?? "a date";
    case "holiday":
      return b.name ?? "a public holiday";
    case "week":
      return "week";
    default:
      return "default";
  }
}

/** When something comes: today by the clock, else with its day. */
export function whenWords(iso: string, zone?: string, now = new Date()): string {
  const time = minutes(iso, zone);
  const on = day(iso, zone);
  if (on === day(now.toISOString(), zone)) return `at ${time}`;
  if (on === day(new Date(now.getTime() + 86_400_000).toISOString(), zone)) return `tomorrow at ${time}`;
  return `on ${on} at ${time}`;
}

/** Until when a state set by hand holds. */
export const untilWords = (iso?: string, zone?: string): string =>
  iso ? `until ${whenWords(iso, zone).replace(/^at /, "")}` : "until cleared";

/** A colour of its own for each state, none of which says good or bad. */
const looks = [
  "bg-category-1-wash text-category-1 border-category-1",
  "bg-category-2-wash text-category-2 border-category-2",
  "bg-category-3-wash text-category-3 border-category-3",
  "bg-category-6-wash text-category-6 border-category-6",
  "bg-category-4-wash text-category-4 border-category-4",
  "bg-category-5-wash text-category-5 border-category-5",
];

export const lookOf = (states: string[], state: string): string =>
  looks[Math.max(0, states.indexOf(state)) % looks.length] ?? "";

/** When the state changes within a day, short: "08 20", "07:30 12 13 16". */
export function changesOf(day: Pick<HoursDay, "spans">): string {
  return day.spans
    .slice(1)
    .map((s) => s.from.replace(/:00$/, ""))
    .join(" ");
}
