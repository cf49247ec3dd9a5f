import { expect, test } from "vitest";
import type { Network, RunningTrunk } from "@/api/client";
import { badAt, folded, foldedAtFirst } from "./fold";

const trunk = (id: string, on: string, word: string, kind = "carrier") =>
  ({ id, switch: on, state: { word }, warning: "", farEnd: { id, kind } }) as unknown as RunningTrunk;

const network = (...trunks: RunningTrunk[]) =>
  ({ switches: ["a", "b"].map((id) => ({ id, name: id })), trunks }) as unknown as Network;

test("a folded switch shows what is wrong, and its connections, but not what is well", () => {
  const n = network(
    trunk("1", "a", "answers"),
    trunk("2", "a", "failing"),
    trunk("3", "a", "answers", "switch"),
    trunk("4", "b", "answers"),
  );
  expect(folded(n, new Set(["a"])).trunks.map((t) => t.id)).toEqual(["2", "3", "4"]);
  expect(folded(n, new Set()).trunks).toHaveLength(4);
  expect(badAt(n.trunks, "a")).toBe(1);
});

test("switches with failing trunks come first", () => {
  const n = network(trunk("1", "a", "answers"), trunk("2", "b", "failing"));
  expect(folded(n, new Set()).switches.map((s) => s.id)).toEqual(["b", "a"]);
});

test("a large network begins folded where all is well, a small one open", () => {
  const some = Array.from({ length: 20 }, (_, i) => trunk(String(i), "a", "answers"));
  expect(foldedAtFirst(network(...some, trunk("x", "b", "failing")))).toEqual(new Set(["a"]));
  expect(foldedAtFirst(network(...some.slice(0, 5)))).toEqual(new Set());
});
