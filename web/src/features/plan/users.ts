import type { Plan } from "@/api/client";
import type { KindName } from "./model";

/** Who names an object, in words: what would break without it. */
export function usersOf(plan: Plan, kind: KindName, id: string): { name: string; to: string }[] {
  const trunks = (test: (t: Plan["trunks"][number]) => boolean) =>
    plan.trunks.filter(test).map((t) => ({ name: `trunk ${t.name}`, to: `/plan/trunks/${t.id}` }));
  const tables = (test: (t: Plan["tables"][number]) => boolean) =>
    plan.tables.filter(test).map((t) => ({ name: `table ${t.name}`, to: `/routing/${t.id}` }));
  const paths = (test: (p: Plan["paths"][number]) => boolean) =>
    plan.paths.filter(test).map((p) => ({ name: `path ${p.name}`, to: `/plan/paths/${p.id}` }));
  const rules = (test: (r: Plan["tables"][number]["rules"][number]) => boolean) =>
    plan.tables.flatMap((t) =>
      t.rules
        .filter(test)
        .map((r) => ({ name: `rule ${r.name} of ${t.name}`, to: `/routing/${t.id}/${r.id}` })),
    );
  switch (kind) {
    case "switches":
      return [
        ...trunks((t) => t.switch === id),
        ...tables((t) => t.switch === id),
        ...paths((p) => p.switch === id),
      ];
    case "farEnds":
      return trunks((t) => t.farEnd === id);
    case "trunks":
      return [
        ...trunks((t) => t.peer === id),
        ...paths((p) => p.choices.some((c) => c.trunk === id)),
        ...plan.destinations
          .filter((d) => d.trunk === id)
          .map((d) => ({ name: `destination ${d.name}`, to: `/plan/destinations/${d.id}` })),
        ...rules((r) => r.match.from?.includes(id) ?? false),
      ];
    case "paths":
      return rules((r) => r.then.path === id);
    case "destinations":
      return [
        ...rules((r) => r.then.destination === id),
        ...plan.switches
          .filter((s) => s.lastResort === id)
          .map((s) => ({ name: `last resort of switch ${s.name}`, to: `/plan/switches/${s.id}` })),
        ...trunks((t) => t.lastResort === id),
      ];
    case "groups":
      return rules((r) => r.for?.includes(id) ?? false);
    case "hours":
      return [
        ...rules((r) => r.match.when?.hours === id || r.then.setHours?.hours === id),
        ...(plan.groups ?? [])
          .filter((g) => g.may.some((l) => l.when?.hours === id))
          .map((g) => ({ name: `caller group ${g.name}`, to: `/plan/groups/${g.id}` })),
      ];
  }
}
