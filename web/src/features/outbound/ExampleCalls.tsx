import type { GuideOutbound } from "@/api/client";
import { StateMark } from "@/ui/StateMark";

/** The example numbers of the country, decided by the plan with all proposed rules. */
export function ExampleCalls({ proposed }: { proposed: GuideOutbound }) {
  const { examples, undecided } = proposed;
  const wrong = examples.filter((e) => !e.ok);
  if (undecided) return <StateMark tone="bad" word={`Example numbers not decided: ${undecided}`} wrap />;
  return (
    <div className="mb-3">
      {wrong.length === 0 ? (
        <StateMark tone="good" word={`${examples.length} example numbers decided, all as asked`} />
      ) : (
        <StateMark tone="bad" word={`${wrong.length} of ${examples.length} example numbers go wrong`} />
      )}
      <details className="mt-1" open={wrong.length > 0}>
        <summary className="cursor-pointer text-dense text-soft">Example numbers</summary>
        <table className="mt-1 w-full text-dense">
          <thead className="text-left text-soft">
            <tr>
              <th className="py-1 font-normal">Dialled</th>
              <th className="font-normal">Leaves as</th>
              <th className="font-normal">Class</th>
              <th className="font-normal">Rule</th>
              <th className="font-normal">Result</th>
            </tr>
          </thead>
          <tbody>
            {[...wrong, ...examples.filter((e) => e.ok)].map((e) => (
              <tr key={e.dialled + e.world} className="border-t border-line">
                <td className="py-1 font-mono">{e.dialled}</td>
                <td className="font-mono">{e.leaves || "nothing"}</td>
                <td>{e.class}</td>
                <td>{e.rule}</td>
                <td>{e.ok ? "as asked" : <StateMark tone="bad" word={e.why ?? "wrong"} wrap />}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </div>
  );
}
