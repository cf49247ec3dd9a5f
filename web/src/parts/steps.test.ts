import { describe, expect, it } from "vitest";
import { digitSteps } from "@/api/words.gen";
import { newStep, shortStep, thenText } from "./steps";

describe("digit steps", () => {
  it.each(digitSteps)("a new step, $label, has the fields that it needs and words", ({ op, fields }) => {
    const step = newStep(op);
    expect(Object.keys(step).sort()).toEqual(["op", ...fields].sort());
    expect(shortStep(step)).not.toContain("undefined");
  });
  it("says steps shortly", () => {
    expect(shortStep({ op: "remove-first", count: 1 })).toBe("del first 1");
    expect(shortStep({ op: "add-prefix", digits: "+44" })).toBe("add +44");
    expect(shortStep({ op: "interpret-as", format: "national" })).toBe("as national");
    expect(shortStep({ op: "replace-prefix", prefix: "0", digits: "+44" })).toBe("0 → +44");
    expect(
      shortStep({ op: "map-block", from: { first: "1", last: "2" }, to: { first: "3", last: "4" } }),
    ).toBe("1–2 → 3–4");
  });
});

describe("thenText", () => {
  const plan = {
    format: "switchback-plan" as const,
    version: 2,
    name: "",
    switches: [],
    farEnds: [],
    trunks: [],
    destinations: [],
    tables: [{ id: "t", name: "Outside", switch: "q", order: "as-listed" as const, rules: [] }],
    paths: [{ id: "p", name: "National", switch: "q", choices: [], timers: {} }],
  };
  it("names where a call goes", () => {
    expect(thenText({ table: "t" }, plan)).toEqual({
      word: "continue in",
      name: "Outside",
      kind: "table",
    });
    expect(thenText({ path: "p" }, plan).name).toBe("National");
    expect(thenText({ path: "gone" }, plan).name).toBe("gone");
    expect(thenText({ rejectCause: 21 }, plan)).toEqual({
      word: "reject with cause",
      name: "21",
      kind: "cause",
    });
  });
});
