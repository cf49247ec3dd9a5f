import { expect, test } from "vitest";
import { get, idOf, put, same } from "./value";

test("a value is read and written at its place, and what is empty is left out", () => {
  const trunk = { id: "a", sip: { address: "127.0.30.1:5060" } };
  expect(get(trunk, "sip/address")).toBe("127.0.30.1:5060");
  expect(get(trunk, "kept/emergency")).toBeUndefined();
  const kept = put(trunk, "kept/emergency", 2);
  expect(kept).toEqual({ ...trunk, kept: { emergency: 2 } });
  expect(trunk).not.toHaveProperty("kept");
  expect(put(trunk, "sip/address", "")).toEqual({ id: "a", sip: {} });
  expect(put(trunk, "sip/trusted", [])).toEqual(trunk);
  expect(put(trunk, "sip/watchSeconds", 0)).toEqual({
    id: "a",
    sip: { address: "127.0.30.1:5060", watchSeconds: 0 },
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
