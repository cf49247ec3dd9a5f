import { describe, expect, it } from "vitest";
import type { Network } from "./client";
import { merged, touched } from "./events";

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

describe("what is known of the network", () => {
  const trunk = (id: string, inUse: number) => ({ id, inUse });
  const network = (revision: number, trunks: unknown[]) =>
    ({ revision, switches: [], trunks, recordsLost: 0 }) as unknown as Network;
  it("takes the trunks that changed and keeps the others", () => {
    const known = network(3, [trunk("a", 0), trunk("b", 1)]);
    const now = { ...network(3, [trunk("b", 2)]), recordsLost: 7 };
    const after = merged(known, now);
    expect(after.trunks).toEqual([trunk("a", 0), trunk("b", 2)]);
    expect(after.recordsLost).toBe(7);
    expect(after.trunks[0]).toBe(known.trunks[0]);
  });
  it("takes nothing of another revision", () => {
    const known = network(3, [trunk("a", 0)]);
    expect(merged(known, network(4, [trunk("a", 5)]))).toBe(known);
  });
});
