import type { CallSummary } from "@/api/client";
import type { Tone } from "@/ui/StateMark";

type Ended = Pick<CallSummary, "outcome" | "sip" | "q850" | "media" | "silent" | "lastResort">;

const tones: Record<CallSummary["outcome"], Tone> = {
  answered: "good",
  refused: "bad",
  failed: "bad",
  abandoned: "warn",
  running: "road",
};

/** How a call ended, as it must not be overlooked: an answer without sound both ways is no success. */
export function outcomeOf(call: Ended): { tone: Tone; word: string } {
  switch (call.outcome) {
    case "running":
    case "abandoned":
      break;
    case "answered":
      if (call.media === "one-way")
        return {
          tone: "bad",
          word: call.silent ? `one-way audio: none from ${call.silent}` : "one-way audio",
        };
      if (call.media === "none") return { tone: "bad", word: "answered, no audio at all" };
      if (call.lastResort) return { tone: "warn", word: "answered, last resort" };
      break;
    case "refused":
      return { tone: "bad", word: `rejected: ${call.sip}, cause ${call.q850}` };
    case "failed":
      return { tone: "bad", word: `failed: ${call.sip}, cause ${call.q850}` };
  }
  return { tone: tones[call.outcome], word: call.outcome };
}
