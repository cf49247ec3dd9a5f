import { describe, expect, it } from "vitest";
import { lengths } from "./PatternEffectView";

describe("lengths", () => {
  const effect = {
    position: 0,
    reason: "",
    matchesEmpty: false,
    samples: [],
    nearMisses: [],
    shortest: "",
    verdicts: [],
  };
  it("counts few lengths and spans many", () => {
    expect(lengths({ ...effect, lengths: [] })).toBe("no number matches");
    expect(lengths({ ...effect, lengths: [{ length: 3, count: "8000" }] })).toBe("8,000 of 3 digits");
    expect(lengths({ ...effect, lengths: [2, 3, 4, 5, 32].map((length) => ({ length, count: "1" })) })).toBe(
      "2 to 32 digits",
    );
  });
});
