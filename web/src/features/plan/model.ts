import type { Plan, UsedKind } from "@/api/client";

/** The kinds of object that this view edits, by their names in the plan and the API. */
export type KindName =
  | "switches"
  | "farEnds"
  | "trunks"
  | "paths"
  | "destinations"
  | "callerGroups"
  | "calendars";
export type PlanObject = NonNullable<Plan[KindName]>[number];

/** One setting of an object. */
export interface Setting {
  /** Where it stands in the object, such as link/sip/remoteAddress. */
  at: string;
  label: string;
  kind: "text" | "digits" | "number" | "choice" | "flag" | "lines" | "causes" | "one-of";
  /** What it means, or what follows from it. */
  hint?: string;
  /** What an empty value stands for. */
  empty?: string;
  unit?: string;
  options?: readonly (readonly [value: string, word: string])[];
  /** Objects of the plan that can be named. */
  among?: (plan: Plan, object: PlanObject) => { id: string; name: string }[];
  wide?: boolean;
  /** How the lines of a setting stand for what is no list of words. */
  rows?: {
    write: (value: unknown) => string[];
    read: (lines: string[]) => unknown;
    /** What is left when the field is left. */
    tidy: (value: unknown) => unknown;
  };
}

/** Settings that belong together; special ones have an editor of their own. */
export interface Section {
  title: string;
  about?: string;
  settings?: Setting[];
  special?: "accounts" | "choices" | "contract" | "profile" | "targets" | "week" | "dates" | "month";
}

export interface Kind {
  name: KindName;
  one: string;
  many: string;
  /** Its kind in a list of changes. */
  change: UsedKind;
  make: (plan: Plan) => PlanObject;
  /** The order of these objects counts, so that a new one has a place. */
  ordered?: { about: string; before: (plan: Plan) => string };
  sections: Section[];
}

export const onSwitch =
  (list: (p: Plan) => { id: string; name: string; switch: string }[]) => (plan: Plan, o: PlanObject) =>
    list(plan).filter((x) => !("switch" in o) || x.switch === o.switch);

export const switches: Setting = { at: "switch", label: "Switch", kind: "one-of", among: (p) => p.switches };
export const note: Setting = { at: "note", label: "Note", kind: "text", wide: true };
export const name: Setting = { at: "name", label: "Name", kind: "text" };

/** What may be the last resort of a switch: one number at a phone system or an application. */
export const resorts = (p: Plan, switchID: string) =>
  p.destinations.filter((d) => {
    const trunk = p.trunks.find((t) => t.id === d.trunk);
    const far = p.farEnds.find((f) => f.id === trunk?.farEnd);
    return (
      d.number && trunk?.switch === switchID && (far?.kind === "phone-system" || far?.kind === "application")
    );
  });
