import { expect, test } from "vitest";
import { get, idOf, put, rebase, same } from "./value";

test("a value is read and written at its place, and what is empty is left out", () => {
  const trunk = { id: "a", link: { sip: { remoteAddress: "127.0.30.1:5060" } } };
  expect(get(trunk, "link/sip/remoteAddress")).toBe("127.0.30.1:5060");
  expect(get(trunk, "reserved/emergency")).toBeUndefined();
  const kept = put(trunk, "reserved/emergency", 2);
  expect(kept).toEqual({ ...trunk, reserved: { emergency: 2 } });
  expect(trunk).not.toHaveProperty("reserved");
  expect(put(trunk, "link/sip/remoteAddress", "")).toEqual({ id: "a", link: { sip: {} } });
  expect(put(trunk, "link/sip/trustedAddresses", [])).toEqual(trunk);
  expect(put(trunk, "link/sip/optionsIntervalSeconds", 0)).toEqual({
    id: "a",
    link: { sip: { remoteAddress: "127.0.30.1:5060", optionsIntervalSeconds: 0 } },
  });
});

test("values are the same whatever the order of their fields", () => {
  expect(same({ a: 1, b: [1, 2] }, { b: [1, 2], a: 1 })).toBe(true);
  expect(same({ a: 1, b: undefined }, { a: 1 })).toBe(true);
  expect(same([1, 2], [2, 1])).toBe(false);
});

test("an id is made of a name", () => {
  expect(idOf("Quay – phones (new)")).toBe("quay-phones-new");
  expect(idOf("—")).toBe("");
  expect(idOf("x".repeat(80))).toHaveLength(63);
});

test("an answer changes what it changed, and keeps what was typed meanwhile", () => {
  const asked = { name: "Ostrel", link: { sip: { remoteAddress: "", transport: "udp" } }, note: "a" };
  const answer = { name: "Ostrel", link: { sip: { remoteAddress: "", transport: "tls" } }, channels: 4 };
  const typed = {
    name: "Ostrel",
    link: { sip: { remoteAddress: "127.0.30.1:5060", transport: "udp" } },
    note: "a",
  };
  expect(rebase<object>(asked, answer, typed)).toEqual({
    name: "Ostrel",
    link: { sip: { remoteAddress: "127.0.30.1:5060", transport: "tls" } },
    channels: 4,
  });
  expect(rebase([1], [1, 2], [3])).toEqual([1, 2]);
  expect(rebase(asked, asked, typed)).toBe(typed);
});
