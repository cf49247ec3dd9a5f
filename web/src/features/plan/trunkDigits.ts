import type { Section } from "./model";

/** How the digits of a trunk come, where they come one by one. */
export const digits: Section = {
  title: "Digits one by one",
  about:
    "Where the far end sends each digit as it is dialled (RFC 3578), a number that is not complete is waited for.",
  settings: [
    { at: "overlap/enabled", label: "Digits come one by one", kind: "flag" },
    { at: "overlap/endMark", label: "A # ends the number, and is none of it", kind: "flag" },
    {
      at: "overlap/firstDigitMs",
      label: "Before the first digit",
      kind: "number",
      unit: "ms",
      empty: "16000",
    },
    {
      at: "overlap/partialMs",
      label: "While more digits are wanted",
      kind: "number",
      unit: "ms",
      empty: "16000",
    },
    {
      at: "overlap/criticalMs",
      label: "For a longer number",
      kind: "number",
      unit: "ms",
      empty: "4000",
      hint: "where the one that is there can go",
    },
  ],
};
