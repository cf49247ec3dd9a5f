import type { Group, Permission, Plan } from "@/api/client";
import { classes, type PermittedClass } from "@/parts/classes";

/** How a class is permitted to a group. */
export type Grant = "always" | "some" | "never";

export const grantOf = (p: Permission | undefined): Grant =>
  !p ? "never" : p.when?.calendar ? "some" : "always";

export const permissionOf = (g: Group, of: PermittedClass): Permission | undefined =>
  g.permissions.find((p) => p.class === of);

/** The permissions of a group with one class changed, in the order of the classes. */
export function withPermission(g: Group, of: PermittedClass, to: Permission | undefined): Group {
  const list = g.permissions.filter((p) => p.class !== of).concat(to ? [to] : []);
  const place = (p: Permission) => (classes.indexOf(p.class) + classes.length + 1) % (classes.length + 1);
  return { ...g, permissions: list.sort((a, b) => place(a) - place(b)) };
}

/** The permission in words: never, always, or while a calendar is in a state. */
export function saidOf(p: Permission | undefined, plan: Plan): string {
  const grant = grantOf(p);
  if (grant !== "some") return grant;
  const calendar = plan.calendars?.find((c) => c.id === p?.when?.calendar)?.name ?? p?.when?.calendar;
  return `while ${calendar} is ${p?.when?.states?.join(" or ")}`;
}

/**
 * What most groups have of each class, where more than half agree: a cell that differs from it
 * stands out.
 */
export function usual(groups: Group[]): Map<PermittedClass, Grant> {
  const out = new Map<PermittedClass, Grant>();
  for (const of of classes) {
    const count: Record<Grant, number> = { always: 0, some: 0, never: 0 };
    for (const g of groups) count[grantOf(permissionOf(g, of))]++;
    const most = (["never", "always", "some"] as const).find((grant) => count[grant] * 2 > groups.length);
    if (most) out.set(of, most);
  }
  return out;
}
