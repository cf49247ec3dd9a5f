import type { Finding } from "@/api/client";
import { StateMark, type Tone } from "@/ui/StateMark";

/** The kinds of finding, in a word, the worst first. */
export const findingLooks: Record<Finding["kind"], { tone: Tone; word: string }> = {
  loop: { tone: "bad", word: "loops" },
  covered: { tone: "bad", word: "never matches" },
  steps: { tone: "bad", word: "steps fail" },
  "no-digits": { tone: "bad", word: "no digits left" },
  empty: { tone: "warn", word: "no numbers" },
  "no-rule": { tone: "warn", word: "no matching rule" },
  class: { tone: "warn", word: "other class" },
  unentered: { tone: "warn", word: "not used" },
  overlaps: { tone: "warn", word: "overlaps" },
};

/** One finding with its example. */
export function FindingLine({ finding }: { finding: Finding }) {
  return (
    <div className="flex items-baseline gap-2 text-dense">
      <span className="shrink-0">
        <FindingMark finding={finding} />
      </span>
      <span className="min-w-0 break-words">{finding.text}</span>
    </div>
  );
}

export function FindingMark({ finding }: { finding: Finding }) {
  return (
    <StateMark
      tone={finding.grave ? "bad" : "warn"}
      word={findingLooks[finding.kind].word}
      title={finding.text}
    />
  );
}
