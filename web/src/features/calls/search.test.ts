import { expect, test } from "vitest";
import { searchOf } from "./search";

const now = Date.parse("2026-11-23T12:00:42Z");
const of = (query: string) => searchOf(new URLSearchParams(query), now);

test("an address without criteria asks for all calls", () => {
  expect(of("")).toEqual({});
});

test("a period ends now, to the minute, unless a span is chosen", () => {
  expect(of("period=24h")).toEqual({ since: "2026-11-22T12:00:00.000Z" });
  expect(of("period=24h&since=2026-11-01T00:00:00Z&until=2026-11-02T00:00:00Z")).toEqual({
    since: "2026-11-01T00:00:00Z",
    until: "2026-11-02T00:00:00Z",
  });
});

test("a code is a Q.850 cause or a SIP status, never both", () => {
  expect(of("code=34")).toEqual({ cause: 34 });
  expect(of("code=503")).toEqual({ sip: 503 });
  expect(of("code=abc")).toEqual({});
  expect(of("code=0")).toEqual({});
});

test("results and lengths become criteria; unknown ones ask for nothing", () => {
  expect(of("result=no-audio&length=lt-10&number=0123&trunk=ostrel")).toEqual({
    media: ["one-way", "none"],
    maxSeconds: 10,
    number: "0123",
    trunk: "ostrel",
  });
  expect(of("result=toString&length=x&period=__proto__")).toEqual({});
});
