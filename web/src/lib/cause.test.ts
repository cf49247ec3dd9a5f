import { expect, test } from "vitest";
import { causeWords, q850Words, statusWords } from "./cause";

// Source: RFC 3261 section 21 and ITU-T Q.850.
test("a status and a cause each have their own name", () => {
  expect(causeWords({ sip: 503, q850: 34 })).toBe(
    "503 Service Unavailable, cause 34 No circuit/channel available",
  );
  expect(causeWords({ sip: 486, q850: 17 })).toBe("486 Busy Here, cause 17 User busy");
  expect(statusWords(0)).toBe("");
  expect(q850Words(126)).toBe("cause 126");
});
