import { describe, expect, it } from "vitest";
import { because, changesOf, lookOf, whenWords } from "./calendar";

describe("hours in words", () => {
  it("say what gives a state", () => {
    expect(because({ by: "override", name: "2001" })).toBe("override");
    expect(because({ by: "holiday", name: "Christmas Day" })).toBe("Christmas Day");
    expect(because({ by: "week" })).toBe("week");
    expect(because({ by: "default" })).toBe("default");
  });

  it("say when: today by the clock, tomorrow, else with its day", () => {
    const now = new Date("2026-11-28T09:00:00Z");
    expect(whenWords("2026-11-28T18:30:00Z", "Europe/London", now)).toBe("at 18:30 GMT");
    expect(whenWords("2026-11-29T08:00:00Z", "Europe/Berlin", now)).toBe("tomorrow at 09:00 CET");
    expect(whenWords("2026-12-24T23:30:00Z", "Europe/Berlin", now)).toBe("on 25 Dec 2026 at 00:30 CET");
  });

  it("are short where a day has many changes", () => {
    const spans = (...from: string[]) => ({ spans: from.map((f) => ({ from: f }) as never) });
    expect(changesOf(spans("00:00"))).toBe("");
    expect(changesOf(spans("00:00", "07:00", "20:00"))).toBe("07 20");
    expect(changesOf(spans("00:00", "08:00", "12:30", "13:00", "16:00"))).toBe("08 12:30 13 16");
  });

  it("give each state a look of its own", () => {
    const states = ["day", "night", "holiday", "storm"];
    expect(new Set(states.map((s) => lookOf(states, s))).size).toBe(4);
  });
});
