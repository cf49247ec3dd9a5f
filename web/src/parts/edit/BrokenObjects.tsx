import { useContext } from "react";
import type { PlanProblem } from "@/api/client";
import { placeInWords } from "@/lib/places";
import { NamedIn } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";

/** What is wrong in other objects, or would be. */
export function BrokenObjects({ problems, word }: { problems: PlanProblem[]; word: string }) {
  const plan = useContext(NamedIn);
  return (
    <div role="alert" className="rounded-[3px] border border-bad bg-bad-wash p-2">
      <StateMark tone="bad" word={word} />
      <ul className="mt-1 list-disc pl-5">
        {problems.map((p) => (
          <li key={p.place + p.reason} className="break-words">
            <span className="font-semibold">{placeInWords(p.place, plan)}</span>: {p.reason}
          </li>
        ))}
      </ul>
    </div>
  );
}
