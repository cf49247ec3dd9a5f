import { expect, test } from "vitest";
import { canOpenStages, readSingleKeys } from "./keys";

test("single keys can be switched off and changed, and what is kept badly is the default", () => {
  expect(readSingleKeys(null)).toEqual({ on: true, stages: "g" });
  expect(readSingleKeys("off").on).toBe(false);
  expect(readSingleKeys("ö")).toEqual({ on: true, stages: "ö" });
  for (const bad of ["on", "", "5", " "]) expect(readSingleKeys(bad)).toEqual({ on: true, stages: "g" });
});

test("keys that move or go to stops cannot open the stages", () => {
  for (const key of ["1", " ", "Enter", "ArrowLeft"]) expect(canOpenStages(key)).toBe(false);
  expect(canOpenStages(";")).toBe(true);
});
