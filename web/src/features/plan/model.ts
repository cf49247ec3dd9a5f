import type { EditorKind, EditorSection, EditorSetting, NameableKind, Plan } from "@/api/client";
import type { Definition } from "@/parts/edit/schema";

/** The kinds of object that are edited setting by setting, by their lists in the plan. */
export type KindName =
  | "switches"
  | "farEnds"
  | "trunks"
  | "paths"
  | "destinations"
  | "callerGroups"
  | "calendars";
export type PlanObject = NonNullable<Plan[KindName]>[number];

/** How a kind is edited: said by the server, which knows the settings. */
export type Kind = Omit<EditorKind, "field" | "kind"> & { field: KindName; kind: NameableKind };
export type Section = EditorSection;
export type Setting = EditorSetting;

/** The objects of a kind; a plan may have none. */
export const objectsOf = (plan: Plan, kind: KindName): PlanObject[] => plan[kind] ?? [];

/** A new object of each kind, as far as it is not empty. */
const blank: Record<KindName, (plan: Plan) => PlanObject> = {
  switches: () => ({ id: "", name: "", region: { country: "" }, listeners: { sip: { address: "" } } }),
  farEnds: () => ({ id: "", name: "", kind: "carrier" }),
  trunks: (p) => ({
    id: "",
    name: "",
    switch: p.switches[0]?.id ?? "",
    channels: 10,
    in: {},
    out: { called: {}, caller: {} },
    link: { sip: { optionsIntervalSeconds: 30 } },
  }),
  paths: (p) => ({ id: "", name: "", switch: p.switches[0]?.id ?? "", choices: [], timers: {} }),
  destinations: () => ({ id: "", name: "", kind: "extension", trunk: "" }),
  callerGroups: () => ({ id: "", name: "", permissions: [] }),
  calendars: () => ({ id: "", name: "", week: [], defaultState: "night" }),
};

export const newObject = (kind: KindName, plan: Plan): PlanObject => blank[kind](plan);

/** Where a new caller group is put: behind a group that takes every caller it would never act. */
export const placeOfNew = (kind: KindName, plan: Plan): string =>
  kind === "callerGroups" ? (plan.callerGroups?.find((g) => !g.callerPattern)?.id ?? "") : "";

/** The object as a trunk, if it is one. */
export const asTrunk = (o: PlanObject) => ("link" in o ? (o as Plan["trunks"][number]) : undefined);

/** What the plan's schema calls an object of each kind. */
export const definitionOf: Record<KindName, Definition> = {
  switches: "Switch",
  farEnds: "FarEnd",
  trunks: "Trunk",
  paths: "Path",
  destinations: "Destination",
  callerGroups: "CallerGroup",
  calendars: "Calendar",
};
