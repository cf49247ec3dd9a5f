import { isEmpty, same, type Value } from "@/lib/value";
import type { Kind, Setting } from "./model";

/** Which settings of a long form are shown: all, those that are set, or those that differ from live or from what was saved. */
export type Shown = "all" | "set" | "changed";

/** From how many settings on a form can be narrowed. */
const long = 15;

export const isLong = (kind: Kind): boolean =>
  kind.sections.reduce((n, s) => n + s.settings.length, 0) > long;

export interface Standing {
  value: Value;
  saved: Value;
  /** Undefined where the object is not live yet. */
  live?: { value: Value };
  /** The profile says something of it that is not followed. */
  advised: boolean;
  error: boolean;
}

/** Whether a setting is shown. What is looked for is found whatever else is hidden, and an error never hides. */
export function isShown(setting: Setting, at: Standing, show: Shown, find: string): boolean {
  if (at.error) return true;
  if (find.trim() !== "") return holds(setting, find);
  if (show === "all") return true;
  const edited = !same(at.value, at.saved);
  if (show === "changed") return edited || (at.live !== undefined && !same(at.live.value, at.value));
  const set = !isEmpty(at.value) && at.value !== setting.same;
  return set || edited || at.advised || setting.input === "reference";
}

function holds(setting: Setting, find: string): boolean {
  const text = `${setting.label} ${setting.hint ?? ""} ${setting.place}`.toLowerCase();
  return find
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}
