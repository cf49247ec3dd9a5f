import { expect, test } from "vitest";
import type { Setting } from "./model";
import { isShown, type Standing } from "./shown";

const setting = {
  place: "link/sip/minExpires",
  label: "Min expiry",
  input: "number",
  hint: "RFC 3261",
} as Setting;
const at = (over: Partial<Standing> = {}): Standing => ({
  value: undefined,
  saved: undefined,
  advised: false,
  error: false,
  ...over,
});

test("settings at their default hide until all are shown", () => {
  expect(isShown(setting, at(), "set", "")).toBe(false);
  expect(isShown(setting, at(), "all", "")).toBe(true);
  expect(isShown(setting, at({ value: 60, saved: 60 }), "set", "")).toBe(true);
  expect(isShown({ ...setting, same: "off" }, at({ value: "off", saved: "off" }), "set", "")).toBe(false);
  expect(isShown({ ...setting, input: "reference" } as Setting, at(), "set", "")).toBe(true);
});

test("what was edited, what a profile asks for, and what is wrong stays in sight", () => {
  expect(isShown(setting, at({ saved: 60 }), "set", "")).toBe(true);
  expect(isShown(setting, at({ advised: true }), "set", "")).toBe(true);
  expect(isShown(setting, at({ error: true }), "changed", "")).toBe(true);
  expect(isShown(setting, at({ error: true }), "set", "codec")).toBe(true);
});

test("only what differs from live or from the draft counts as changed", () => {
  expect(isShown(setting, at({ value: 60, saved: 60, live: { value: 60 } }), "changed", "")).toBe(false);
  expect(isShown(setting, at({ value: 60, saved: 60, live: { value: 90 } }), "changed", "")).toBe(true);
});

test("a search finds by label, hint and place, whatever is hidden", () => {
  for (const find of ["expiry", "3261", "sip MIN"])
    expect(isShown(setting, at(), "changed", find)).toBe(true);
  expect(isShown(setting, at({ value: 60 }), "all", "codec")).toBe(false);
});
