import type { Finding } from "@/api/client";
import { StateMark } from "@/ui/StateMark";

/** The sorts of finding, in a word. */
const words: Record<Finding["kind"], string> = {
  covered: "never fires",
  contested: "contested",
  empty: "matches nothing",
  steps: "steps fail",
  "no-digits": "leaves no digits",
  loop: "loops",
  "no-rule": "leads nowhere",
  class: "another class",
  unentered: "nothing enters",
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
