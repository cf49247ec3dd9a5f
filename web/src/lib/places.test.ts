import { describe, expect, it } from "vitest";
import type { Plan } from "@/api/client";
import { placeInWords } from "./places";

const plan = {
  trunks: [{ id: "ostrel", name: "Ostrel" }],
  tables: [{ id: "out", name: "Outside", rules: [{ id: "r1", name: "National" }] }],
} as unknown as Plan;

describe("a place in words", () => {
  it.each([
    ["/trunks/ostrel/sip/address", "trunk Ostrel, sip address"],
    ["/tables/out/rules/r1/match/called", "table Outside, rule National, match called"],
    ["/trunks/gone/sip/trusted/0", "trunk gone, sip trusted 1"],
    ["body.dial", "dial"],
    ["gate/callsPerSecond", "gate calls per second"],
    ["", ""],
  ])("%s is %s", (place, words) => expect(placeInWords(place, plan)).toBe(words));
});
