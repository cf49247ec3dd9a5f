import { describe, expect, it } from "vitest";
import { newStep, ops, shortStep, thenText } from "./steps";

describe("digit steps", () => {
  it.each(ops.map((o) => o.op))("a new %s has the fields that it needs and words", (op) => {
    const step = newStep(op);
    const fields = ops.find((o) => o.op === op)?.fields ?? [];
    expect("count" in step).toBe(fields.includes("count"));
    expect("digits" in step).toBe(fields.includes("digits"));
    expect("from" in step).toBe(fields.includes("blocks"));
    expect("format" in step).toBe(fields.includes("format"));
    expect(shortStep(step)).not.toContain("undefined");
  });
  it("says steps shortly", () => {
    expect(shortStep({ op: "remove-first", count: 1 })).toBe("remove first 1");
    expect(shortStep({ op: "replace-prefix", prefix: "0", digits: "+44" })).toBe("0 → +44");
    expect(
      shortStep({ op: "map-block", from: { first: "1", last: "2" }, to: { first: "3", last: "4" } }),
    ).toBe("1…2 → 3…4");
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
    expect(thenText({ table: "t" }, plan)).toEqual({ word: "go on in", name: "Outside" });
    expect(thenText({ path: "p" }, plan).name).toBe("National");
    expect(thenText({ path: "gone" }, plan).name).toBe("gone");
    expect(thenText({ rejectCause: 21 }, plan)).toEqual({ word: "refuse with cause", name: "21" });
  });
});
