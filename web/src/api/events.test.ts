import { describe, expect, it } from "vitest";
import { touched } from "./events";

describe("what an event has read again", () => {
  it("is the call itself and every list that it stands in", () => {
    expect(touched({ topic: "call", id: "a" })).toEqual([["calls"], ["running"], ["call", "a"], ["try"]]);
  });
  it("is all that follows from the live plan when one goes live", () => {
    expect(touched({ topic: "plan", id: "" }).flat()).toEqual(
      expect.arrayContaining(["network", "draft", "revisions"]),
    );
  });
  it("is something for every topic", () => {
    for (const topic of ["trunk", "call", "draft", "plan", "records", "stand-in"] as const) {
      expect(touched({ topic, id: "" }).length).toBeGreaterThan(0);
    }
  });
});
