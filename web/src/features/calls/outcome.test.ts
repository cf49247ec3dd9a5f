import { describe, expect, it } from "vitest";
import { outcomeOf } from "./outcome";

describe("how a call ended", () => {
  const call = { outcome: "answered", sip: 200, q850: 16 } as const;
  it("is no success without sound both ways", () => {
    expect(outcomeOf({ ...call, media: "one-way", silent: "Ostrel" })).toEqual({
      tone: "bad",
      word: "one-way audio: none from Ostrel",
    });
    expect(outcomeOf({ ...call, media: "none" }).tone).toBe("bad");
    expect(outcomeOf({ ...call, media: "both-ways" })).toEqual({ tone: "good", word: "answered" });
  });
  it("tells a last resort from a plain answer", () => {
    expect(outcomeOf({ ...call, lastResort: true })).toEqual({
      tone: "warn",
      word: "answered, last resort",
    });
  });
  it("says whose refusal it was", () => {
    expect(outcomeOf({ outcome: "refused", sip: 403, q850: 21 }).word).toBe("rejected: 403, cause 21");
    expect(outcomeOf({ outcome: "failed", sip: 503, q850: 34 }).word).toBe("failed: 503, cause 34");
  });
});
