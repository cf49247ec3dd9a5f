import type { EditorKind, EditorSection, EditorSetting, Plan } from "@/api/client";

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
export type Kind = Omit<EditorKind, "field"> & { field: KindName };
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

/** The lists in which objects are that a setting can name. */
const lists: Record<string, keyof Plan> = {
  switch: "switches",
  farEnd: "farEnds",
  trunk: "trunks",
  table: "tables",
  path: "paths",
  destination: "destinations",
  callerGroup: "callerGroups",
  calendar: "calendars",
};

/** The objects of the plan that a setting of an object can name. */
export function among(setting: Setting, plan: Plan, o: PlanObject): { id: string; name: string }[] {
  const list = lists[setting.kind ?? ""];
  if (!list) return [];
  const sw = "switch" in o ? o.switch : o.id;
  const isItself = (id: string) => setting.place === "oppositeTrunk" && id === o.id;
  const found = ((plan[list] as { id: string; name: string; switch?: string }[]) ?? []).filter(
    (x) => !isItself(x.id),
  );
  if (setting.place === "lastResort") return resorts(plan, sw ?? "");
  return setting.sameSwitch ? found.filter((x) => x.switch === undefined || x.switch === sw) : found;
}

/** What may be the last resort of a switch: one number at a phone system or an application. */
const resorts = (p: Plan, switchID: string) =>
  p.destinations.filter((d) => {
    const trunk = p.trunks.find((t) => t.id === d.trunk);
    const far = p.farEnds.find((f) => f.id === trunk?.farEnd);
    return (
      d.number && trunk?.switch === switchID && (far?.kind === "phone-system" || far?.kind === "application")
    );
  });
