import { getCountries, getExampleNumber } from "libphonenumber-js";
import examples from "libphonenumber-js/examples.mobile.json";
import { expect, it } from "vitest";
import { groupsOf } from "./grouping";

// Ofcom, telephone numbers for drama; NANPA, 555-0100 to 555-0199; grouping as E.123 shows it.
it("groups numbers as their countries write them", () => {
  expect(groupsOf("+441914980811")).toEqual(["+44", "191", "498", "0811"]);
  expect(groupsOf("+442079460400")).toEqual(["+44", "20", "7946", "0400"]);
  expect(groupsOf("+16175550180")).toEqual(["+1", "617", "555", "0180"]);
});

it("leaves alone what is no number in E.164 format", () => {
  for (const other of ["2000", "01914980100", "+44", "+4420794604[89]x", "", "*1071"])
    expect(groupsOf(other)).toEqual([other]);
});

it("keeps every digit in its place, in every country", () => {
  for (const country of getCountries()) {
    const number = getExampleNumber(country, examples)?.number;
    if (number) expect(groupsOf(number).join(""), country).toBe(number);
  }
});
