import type { Finding } from "@/api/client";
import { StateMark } from "@/ui/StateMark";

/** The sorts of finding, in a word. */
const words: Record<Finding["kind"], string> = {
  covered: "never matches",
  overlaps: "overlaps",
  empty: "no numbers",
  steps: "steps fail",
  "no-digits": "no digits left",
  loop: "loops",
  "no-rule": "no matching rule",
  class: "other class",
  unentered: "not used",
};

/** One finding with its witness. */
export function FindingLine({ finding }: { finding: Finding }) {
  return (
    <div className="flex items-baseline gap-2 text-[13px]">
      <span className="shrink-0">
        <FindingMark finding={finding} />
      </span>
      <span className="min-w-0 break-words">{finding.text}</span>
    </div>
  );
}

export function FindingMark({ finding }: { finding: Finding }) {
  return <StateMark tone={finding.grave ? "bad" : "draft"} word={words[finding.kind]} title={finding.text} />;
}
