import { useState } from "react";
import { Link } from "react-router";
import type { NumberAsk, Plan } from "@/api/client";
import type { useNumbersSummary } from "@/api/queries";
import { ago } from "@/lib/time";
import { StateMark } from "@/ui/StateMark";

type Summary = NonNullable<ReturnType<typeof useNumbersSummary>["data"]>;
type Only = NumberAsk["only"];

interface Props {
  summary: Summary;
  plan: Plan;
  only: Only;
  onOnly: (only: Only) => void;
}

/** What calls taught: numbers that arrive and should not yet, or that do not arrive at all. */
export function DetectedNumbers({ summary, plan, only, onOnly }: Props) {
  const [open, setOpen] = useState(false);
  const filter = (word: NonNullable<Only>, n: number, text: string, tone: "draft" | "bad" | "soft") =>
    n > 0 && (
      <button
        type="button"
        aria-pressed={only === word}
        className="rounded-[3px] px-2 hover:bg-road-wash aria-pressed:bg-road-wash"
        onClick={() => onOnly(only === word ? undefined : word)}
      >
        <StateMark tone={tone} word={`${n.toLocaleString("en-GB")} ${text}`} />
      </button>
    );
  if (summary.nobody + summary.early + summary.silent + summary.strangeCount === 0) return null;
  return (
    <div className="border-b border-line bg-sheet px-4 py-1 text-dense">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        {filter("unanswered", summary.nobody, "in use, no destination", "bad")}
        {filter("early", summary.early, "in use, but ordered or spare", "draft")}
        {summary.strangeCount > 0 && (
          <button
            type="button"
            aria-expanded={open}
            className="rounded-[3px] px-2 hover:bg-road-wash"
            onClick={() => setOpen(!open)}
          >
            <StateMark tone="draft" word={`${summary.strangeCount} in use, not in the inventory`} />
          </button>
        )}
        {filter("silent", summary.silent, "no calls yet", "soft")}
      </div>
      {open && (
        <ul
          className="mt-1 max-h-40 overflow-auto border-t border-line pt-1"
          aria-label="Not in the inventory"
        >
          {summary.strange.map((s) => (
            <li key={s.number} className="flex gap-3">
              <Link
                to={`/numbers/new?first=${encodeURIComponent(s.number)}&carrier=${farEndOf(plan, s.trunk)}`}
                className="w-40 font-mono text-road underline-offset-2 hover:underline"
                title="Add to the inventory"
              >
                {s.number}
              </Link>
              <span>by {plan.trunks.find((t) => t.id === s.trunk)?.name ?? s.trunk}</span>
              <span className="text-soft">
                {s.calls} {s.calls === 1 ? "call" : "calls"}, last {ago(s.last)}
              </span>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

const farEndOf = (plan: Plan, trunk: string) => plan.trunks.find((t) => t.id === trunk)?.farEnd ?? "";
