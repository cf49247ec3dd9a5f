import { expect, test } from "vitest";
import type { Collection } from "@/api/client";
import { fallenBetween, openCount } from "./fallen";

const at = (tables: Record<string, string[]>, more = 0): Collection =>
  ({
    tables: Object.entries(tables).map(([id, rules]) => ({
      table: { id, name: id },
      more,
      rules: rules.map((r) => ({ rule: { id: r, name: r }, pattern: `${r}x`, catchAll: r === "any" })),
    })),
  }) as unknown as Collection;

test("a rule falls at the key after which it is not in the running", () => {
  expect(fallenBetween(at({ out: ["a", "b", "c"] }), at({ out: ["b"] })).map((f) => f.id)).toEqual([
    "a",
    "c",
  ]);
  expect(fallenBetween(at({ out: ["a"] }), at({ out: ["a"] }))).toEqual([]);
});

test("catch-all rules, and tables that are not searched any more, do not fall", () => {
  expect(fallenBetween(at({ out: ["a", "any"] }), at({ out: ["a"] }))).toEqual([]);
  expect(fallenBetween(at({ out: ["a"], next: ["b"] }), at({ out: ["a"] }))).toEqual([]);
});

test("rules in the running are counted with those that are not listed", () => {
  expect(openCount(at({ out: ["a", "b", "any"] }, 3))).toBe(5);
});
