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

/** A colour of its own for each state: the first are those that most calendars have. */
const looks = [
  "bg-good-wash text-good border-good",
  "bg-sunk text-soft border-line",
  "bg-draft-wash text-draft border-draft",
  "bg-bad-wash text-bad border-bad",
  "bg-added-wash text-added border-added",
  "bg-road-wash text-road border-road",
];

export const lookOf = (states: string[], state: string): string =>
  looks[Math.max(0, states.indexOf(state)) % looks.length] ?? "";

/** When the state changes within a day, short where there is little room: "08:00 20:00", "8 12 13 16". */
export function changesOf(day: Pick<HoursDay, "spans">): string {
  const times = day.spans.slice(1).map((s) => s.from);
  if (times.length <= 2) return times.join(" ");
  return times.map((t) => t.replace(/:00$/, "").replace(/^0(?=\d)/, "")).join(" ");
}
