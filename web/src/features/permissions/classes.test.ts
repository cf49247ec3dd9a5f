import { expect, test } from "vitest";
import type { Group, Plan } from "@/api/client";
import { classes } from "@/parts/classes";
import { grantOf, permissionOf, saidOf, usual, withPermission } from "./classes";

const day = { calendar: "office", states: ["day", "eve"] };
const group = (id: string, ...permissions: Group["permissions"]): Group => ({ id, name: id, permissions });
const plan = { calendars: [{ id: "office", name: "Office hours" }] } as unknown as Plan;

test("a class that is set stands in its place, whatever was there before", () => {
  let g = group("a", { class: "mobile" }, { class: "internal" });
  for (const of of [...classes].reverse()) g = withPermission(g, of, { class: of });
  expect(g.permissions.map((p) => p.class)).toEqual(classes);
  expect(withPermission(g, "mobile", undefined).permissions).toHaveLength(classes.length - 1);
});

test("a permission is said in words", () => {
  expect(saidOf(undefined, plan)).toBe("never");
  expect(saidOf({ class: "mobile" }, plan)).toBe("always");
  expect(saidOf({ class: "mobile", when: day }, plan)).toBe("while Office hours is day or eve");
});

test("what most groups have is usual; without a majority nothing is", () => {
  const groups = [group("a", { class: "mobile" }), group("b", { class: "mobile" }), group("c")];
  expect(usual(groups).get("mobile")).toBe("always");
  expect(usual(groups).get("premium")).toBe("never");
  expect(usual(groups.slice(1)).get("mobile")).toBeUndefined();
  expect(grantOf(permissionOf(group("d", { class: "mobile", when: day }), "mobile"))).toBe("some");
});
