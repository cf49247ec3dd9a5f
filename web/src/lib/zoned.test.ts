import { expect, test } from "vitest";
import { readLocal, writeLocal } from "./zoned";

// Campaign: what is written is read again, in every zone that the time zone database (IANA, as the
// runtime has it) knows; a time that comes twice is read as the first of the two.
test("every zone: what is written is read again", () => {
  let seed = 18;
  const random = (n: number) => {
    seed = (seed * 1_103_515_245 + 12_345) % 2_147_483_648;
    return seed % n;
  };
  for (const zone of Intl.supportedValuesOf("timeZone")) {
    for (let i = 0; i < 6; i++) {
      const at = Math.floor(
        (Date.UTC(2020, 0, 1) + random(3650) * 86_400_000 + random(1440) * 60_000) / 60_000,
      );
      const iso = new Date(at * 60_000).toISOString();
      const text = writeLocal(iso, zone);
      const read = readLocal(text, zone);
      if (!("iso" in read)) throw new Error(`${zone} ${text}: ${read.error}`);
      expect(writeLocal(read.iso, zone), `${zone} ${iso}`).toBe(text);
      expect(Date.parse(read.iso), `${zone} ${iso}`).toBeLessThanOrEqual(at * 60_000);
    }
  }
});

// Source: the changes of 2026 in the IANA time zone database.
test("around a change of the clock", () => {
  expect(readLocal("2026-03-29 01:30", "Europe/London")).toEqual({ iso: "2026-03-29T01:30:00.000Z" }); // left out
  expect(readLocal("2026-10-25 01:30", "Europe/London")).toEqual({ iso: "2026-10-25T00:30:00.000Z" }); // the first
  expect(readLocal("2026-11-30 14:00", "America/New_York")).toEqual({ iso: "2026-11-30T19:00:00.000Z" });
  expect(readLocal("2026-07-01T14:00", "Asia/Kathmandu")).toEqual({ iso: "2026-07-01T08:15:00.000Z" });
});

test("what is no date is an error that says what is allowed", () => {
  expect(readLocal("11/30/2026", "UTC")).toEqual({
    error: '"11/30/2026" is not a date and time; write 2026-11-30 14:00',
  });
  expect(readLocal("2026-02-30 10:00", "UTC")).toEqual({ error: "There is no 2026-02-30 10:00" });
  expect(readLocal("2026-02-03 24:00", "UTC")).toEqual({ error: "There is no 2026-02-03 24:00" });
});
