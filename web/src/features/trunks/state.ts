import type { RunningTrunk } from "@/api/client";
import type { Tone } from "@/ui/StateMark";

/** The states that a list counts, the worst first. */
export const groups = {
  failing: { tone: "bad", word: "failing" },
  out: { tone: "warn", word: "draining or out of service" },
  warning: { tone: "warn", word: "with a warning" },
  unproven: { tone: "soft", word: "no traffic yet" },
  well: { tone: "good", word: "available" },
} as const satisfies Record<string, { tone: Tone; word: string }>;
export type Group = keyof typeof groups;

export function groupOf(trunk: RunningTrunk): Group {
  switch (trunk.state.word) {
    case "failing":
      return "failing";
    case "off":
    case "draining":
      return "out";
    case "unproven":
      return "unproven";
  }
  return trunk.warning ? "warning" : "well";
}

/** The word for what was proved about a trunk, and how it looks. */
export function stateOf(trunk: RunningTrunk): { tone: Tone; word: string } {
  return stateLook(trunk.state.word);
}

export function stateLook(word: string): { tone: Tone; word: string } {
  switch (word) {
    case "registered":
      return { tone: "good", word: "registered" };
    case "answers":
      return { tone: "good", word: "responding" };
    case "failing":
      return { tone: "bad", word: "failing" };
    case "seen":
      return { tone: "road", word: "traffic seen" };
    case "off":
      return { tone: "warn", word: "out of service" };
    case "draining":
      return { tone: "warn", word: "draining" };
    case "stopped":
      return { tone: "soft", word: "not running" };
    default:
      return { tone: "soft", word: "no traffic yet" };
  }
}

/** A form of numbers as it looks in the switch's region. */
export function formSketch(form: string | undefined, sketches: Record<string, string>): string {
  if (form === "refuse") return "rejected";
  return form ? (sketches[form] ?? form) : "unchanged";
}
