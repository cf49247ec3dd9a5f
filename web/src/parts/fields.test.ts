import { expect, test } from "vitest";
import type { EditorKind, Plan } from "@/api/client";
import { fieldLabel, valuesIn } from "./fields";

const kinds = [
  {
    kind: "trunk",
    sections: [{ settings: [{ place: "link/sip/trustedAddresses", label: "Trusted addresses" }] }],
  },
] as unknown as EditorKind[];
const plan = {
  trunks: [{ id: "north", name: "North carrier" }],
  paths: [{ id: "north", name: "Northwards" }],
} as unknown as Plan;

test("fields are called as their editors call them", () => {
  expect(fieldLabel({ kind: "trunk" }, "link/sip/trustedAddresses", kinds)).toBe("trusted addresses");
  expect(fieldLabel({ kind: "rule" }, "match/called", kinds)).toBe("called pattern");
  expect(fieldLabel({ kind: "path" }, "timers/noResponseMs", kinds)).toBe("timers › no response ms");
});

test("ids are shown as names, by the kind that the field names", () => {
  expect(valuesIn("choices", "north; gone", plan)).toEqual(["North carrier", "gone"]);
  expect(valuesIn("then/path", "north", plan)).toEqual(["Northwards"]);
  expect(valuesIn("note", "north", plan)).toEqual(["north"]);
  expect(valuesIn("note", "", plan)).toEqual([]);
});
