import { describe, expect, it } from "vitest";
import { lookOf, readAsk } from "./ask";

describe("what is asked of a try", () => {
  it("stands in the address and comes back from it", () => {
    const address = lookOf({
      id: "night",
      name: "Abroad at night",
      from: "2001",
      called: "9 00 1 617 555 0180",
      simulate: {
        time: "2026-11-28T03:00:00Z",
        down: ["ostrel", "penhallow"],
        full: ["tamarack"],
        overrides: { bookings: "storm" },
      },
      expected: { outcome: "refused" },
    });
    const ask = readAsk(new URLSearchParams(address.slice(address.indexOf("?"))));
    expect(ask).toEqual({
      mode: "dry",
      plan: "draft",
      from: "2001",
      called: "9 00 1 617 555 0180",
      caller: undefined,
      simulate: {
        time: "2026-11-28T03:00:00Z",
        down: ["ostrel", "penhallow"],
        full: ["tamarack"],
        overrides: { bookings: "storm" },
      },
    });
  });
});
