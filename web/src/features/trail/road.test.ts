import { describe, expect, it } from "vitest";
import type { TrailStep } from "@/api/client";
import { buildRoad, heightOf } from "./road";

const ref = (kind: "rule" | "table" | "trunk" | "farEnd" | "path" | "contract", id: string) => ({
  kind,
  id,
  name: `The ${id}`,
});
const number = (digits: string, format = "national") => ({ number: digits, format });
const step = (kind: TrailStep["kind"], part: Partial<TrailStep>): TrailStep => ({
  kind,
  switch: "quay",
  ...part,
});

const phones = {
  trunk: ref("trunk", "phones"),
  farEnd: ref("farEnd", "phones"),
  called: number("901", "as-dialled"),
  caller: number("2001", "private"),
};
const received = step("received", { received: phones });
const won = step("looked-up", {
  lookedUp: {
    table: ref("table", "out"),
    called: number("901"),
    caller: number("2001"),
    winner: ref("rule", "nine"),
    lost: [{ rule: ref("rule", "x"), why: "called", detail: "does not match" }],
  },
});
const rewrote = (
  label: string,
  runs: [string, "kept" | "dropped" | "added"][],
  which: "called" | "caller" = "called",
  note?: string,
): TrailStep =>
  step("rewrote", {
    rewrote: {
      number: which,
      by: ref("rule", "nine"),
      label,
      before: number("901"),
      after: number("01"),
      runs: runs.map(([text, fate]) => ({ text, fate })),
      note,
    },
  });
const sent = step("sent", {
  sent: {
    trunk: ref("trunk", "ostrel"),
    farEnd: ref("farEnd", "ostrel"),
    address: "127.0.30.1:5060",
    called: number("+441", "e164"),
    caller: number("+442", "e164"),
  },
});
const heard = (what: "answered" | "refused" | "no-response", next: "answered" | "goes-on" | "ends") =>
  step("heard", {
    heard: {
      trunk: ref("trunk", "ostrel"),
      what,
      cause: { q850: 34, sip: 503 },
      name: "No circuit",
      next,
      why: "another may do better",
    },
  });
const ended = (outcome: "answered" | "refused") =>
  step("ended", {
    ended: { outcome, cause: { q850: 1, sip: 404 }, name: "Unallocated", why: "no rule takes it" },
  });

const presented = (said: Partial<NonNullable<TrailStep["presented"]>>) =>
  step("presented", {
    presented: {
      trunk: ref("trunk", "ostrel"),
      number: number("+442", "e164"),
      numberBy: ref("trunk", "phones"),
      presentation: "allowed",
      screening: "not-screened",
      ...said,
    },
  });

describe("buildRoad", () => {
  it("says who the far end is shown, where that is not as the call came", () => {
    const subtitle = (said: Parameters<typeof presented>[0]) =>
      buildRoad([presented(said), sent])[0]?.subtitle;
    expect(subtitle({})).toBe("127.0.30.1:5060");
    expect(subtitle({ numberBy: ref("rule", "nine"), name: "Front desk" })).toBe(
      "calling number by rule The nine, name Front desk, 127.0.30.1:5060",
    );
    expect(subtitle({ presentation: "restricted" })).toBe("calling number +442 withheld, 127.0.30.1:5060");
  });

  it("makes a straight for each stretch and a bend for each decision", () => {
    const road = buildRoad([
      received,
      won,
      rewrote("remove first 1", [
        ["9", "dropped"],
        ["01", "kept"],
      ]),
      sent,
      heard("refused", "goes-on"),
      sent,
      heard("answered", "answered"),
      ended("answered"),
    ]);
    expect(road.map((s) => [s.title, s.bend.word])).toEqual([
      ["from The phones", "The nine"],
      ["to The ostrel", "503 Service Unavailable, cause 34 No circuit/channel available"],
      ["to The ostrel", "answered"],
    ]);
    expect(road[0]?.bend.lost).toHaveLength(1);
    expect(road[1]?.bend.tone).toBe("draft");
    expect(road[2]?.bend.kind).toBe("end");
    expect(road[2]?.steps).toEqual([5, 7]);
  });

  it("ends where no rule took the call, and keeps the rules that lost there", () => {
    const nobody = step("looked-up", {
      lookedUp: {
        table: ref("table", "out"),
        called: number("5"),
        caller: number("2001"),
        lost: [{ rule: ref("rule", "x"), why: "called", detail: "does not match" }],
      },
    });
    const road = buildRoad([received, nobody, ended("refused")]);
    expect(road).toHaveLength(1);
    expect(road[0]?.bend).toMatchObject({
      kind: "end",
      tone: "bad",
      word: "rejected: 404 Not Found, cause 1 Unallocated (unassigned) number",
      detail: "no rule takes it",
    });
    expect(road[0]?.bend.lost).toHaveLength(1);
  });

  it("shares a line between a change and steps that only state a form", () => {
    const road = buildRoad([
      received,
      won,
      rewrote("remove first 1", [
        ["9", "dropped"],
        ["01", "kept"],
      ]),
      rewrote("read as national", [["01", "kept"]]),
      rewrote("convert to e164", [
        ["0", "dropped"],
        ["+44", "added"],
        ["1", "kept"],
      ]),
      sent,
      heard("no-response", "ends"),
    ]);
    expect(road[1]?.lines.map((l) => [l.number, l.label])).toEqual([
      ["called", "remove first 1, read as national"],
      ["called", "convert to e164"],
      ["caller", "e164"],
    ]);
    expect(road[1]?.bend.word).toBe("no response");
  });

  it("keeps what a step could not do on a line of its own", () => {
    const road = buildRoad([
      received,
      won,
      rewrote("a", [["1", "kept"]]),
      rewrote("convert to e164", [["1", "kept"]], "called", "the form is unknown"),
    ]);
    expect(road[1]?.lines).toHaveLength(2);
    expect(road[1]?.bend.word).toBe("running");
  });

  it("shows a caller that is no number as text", () => {
    const anonymous = step("received", {
      received: {
        trunk: ref("trunk", "o"),
        farEnd: ref("farEnd", "o"),
        called: number(""),
        caller: number("", "unknown"),
        callerText: "anonymous",
      },
    });
    const [straight] = buildRoad([anonymous]);
    expect(straight?.lines[0]?.runs).toEqual([]);
    expect(straight?.lines[1]).toMatchObject({
      label: "no number",
      runs: [{ text: "anonymous", fate: "kept" }],
    });
    expect(straight && heightOf(straight)).toBeGreaterThan(60);
  });

  it("has no road for no trail", () => expect(buildRoad([])).toEqual([]));

  it("says who may call beside the way, and who may not at the bend", () => {
    const at = { switch: "quay" } as const;
    const national = { number: "01914980850", format: "national" };
    const group = { kind: "callerGroup", id: "crew", name: "Crew" } as const;
    const may = (allowed: boolean): TrailStep => ({
      ...at,
      kind: "permitted",
      permitted: { group, class: "national", why: "numbering plan of GB", allowed, detail: "said" },
    });
    const path: TrailStep = {
      ...at,
      kind: "took-path",
      tookPath: { path: { kind: "path", id: "n", name: "National" }, choices: 2 },
    };
    const sent: TrailStep = {
      ...at,
      kind: "sent",
      sent: {
        trunk: { kind: "trunk", id: "ostrel", name: "Ostrel" },
        farEnd: { kind: "farEnd", id: "ostrel", name: "Ostrel Carrier" },
        address: "127.0.30.1:5060",
        called: national,
        caller: national,
      },
    };
    expect(buildRoad([may(true), path, sent])[0]?.subtitle).toBe(
      "national call: permitted to Crew, path National, 127.0.30.1:5060",
    );
    const refused: TrailStep = {
      ...at,
      kind: "ended",
      ended: {
        outcome: "refused",
        own: "not-permitted",
        cause: { q850: 21, sip: 403 },
        name: "Call rejected",
        why: "Crew: no permission for national calls",
      },
    };
    const [only] = buildRoad([may(false), refused]);
    expect(only?.title).toBe("national call");
    expect(only?.bend).toMatchObject({ tone: "bad", detail: "Crew: no permission for national calls" });
  });

  it("says that a last resort took the call, which tag it rings with, and what was set by hand then", () => {
    const road = buildRoad([
      { ...received, received: { ...phones, overrides: { bookings: "storm" }, trial: true } },
      won,
      step("resorted", {
        resorted: { of: ref("trunk", "ostrel"), destination: ref("path", "operator"), why: "nobody has it" },
      }),
      step("sent", {
        sent: {
          trunk: ref("trunk", "phones"),
          farEnd: ref("farEnd", "phones"),
          address: "127.0.20.1:5060",
          called: number("2000"),
          caller: number("2001"),
          alert: { namePrefix: "Bookings", namePrefixBy: ref("trunk", "n"), over: ref("trunk", "ostrel") },
        },
      }),
    ]);
    expect(road[0]?.subtitle).toContain("bookings storm (override); decided by the trial");
    expect(road[1]?.subtitle).toContain("last-resort destination of trunk The ostrel: nobody has it");
    expect(road[1]?.subtitle).toContain("name prefix Bookings, instead of that of The ostrel");
  });

  it("says what a dialled code set", () => {
    const set = { calendar: ref("path", "bookings"), state: "storm", minutes: 720 };
    const road = buildRoad([received, won, step("set-calendar", { setCalendar: set })]);
    expect(road[1]?.title).toBe("The bookings");
    expect(road[1]?.subtitle).toBe("storm overridden, for 720 min");
  });
});
