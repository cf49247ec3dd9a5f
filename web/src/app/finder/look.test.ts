import { expect, test } from "vitest";
import { everyWord, numberIn } from "./look";

test("a number is known by its digits, however they are grouped", () => {
  expect(numberIn("+44 20 7946 0400")).toBe("+442079460400");
  expect(numberIn(" (0191) 498-0100 ")).toBe("01914980100");
  expect(numberIn("*1071")).toBe("*1071");
  for (const other of ["", "9", "quay 20", "+", "a12"]) expect(numberIn(other)).toBeUndefined();
});

test("every word must be there, in any order", () => {
  expect(everyWord("Drain Ostrel", "ostrel drain")).toBe(true);
  expect(everyWord("Drain Ostrel", "ostrel off")).toBe(false);
});
