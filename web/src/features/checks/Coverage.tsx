import { Link } from "react-router";
import type { CheckList } from "@/api/client";
import { Meter } from "@/ui/Meter";

/** Which rules of the draft no passed check matches. */
export function Coverage({ checks }: { checks: CheckList }) {
  const { covered, rules, uncovered } = checks;
  if (rules === 0) return null;
  return (
    <details className="max-h-[40%] shrink-0 overflow-auto border-t border-line bg-sheet">
      <summary className="flex cursor-pointer items-center gap-3 px-4 py-1">
        <span className="font-semibold">Coverage</span>
        <Meter used={covered} all={rules} label="rules matched by a passed check" full="good" />
        <span>
          {covered} of {rules} rules matched by a passed check
        </span>
      </summary>
      <ul aria-label="Rules without a check" className="columns-3 gap-6 px-4 pb-3 text-dense">
        {uncovered.map((u) => (
          <li key={u.rule} className="truncate">
            <Link
              to={`/routing/${u.table}/${u.rule}`}
              className="text-road underline-offset-2 hover:underline"
            >
              {u.name}
            </Link>{" "}
            <span className="text-soft">{u.tableName}</span>
          </li>
        ))}
        {rules - covered > uncovered.length && (
          <li className="text-soft">and {rules - covered - uncovered.length} more</li>
        )}
      </ul>
    </details>
  );
}
