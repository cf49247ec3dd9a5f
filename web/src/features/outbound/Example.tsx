import type { GuideOutbound } from "@/api/client";
import { StateMark } from "@/ui/StateMark";

export type ExampleCall = GuideOutbound["examples"][number];
type Decided = ExampleCall["before"];

/** An example number of the country: what becomes of it now, and with the rules. */
export function Example({ example }: { example: ExampleCall }) {
  const { dialled, before, after, ok, why } = example;
  return (
    <tr className="align-top">
      <td />
      <td className="py-1 pr-3 font-mono">{dialled}</td>
      <td className="py-1 pr-3 text-soft">
        <Outcome of={before} rule={before.rule?.id !== after.rule?.id} />
      </td>
      <td className="py-1">
        {changes(example) && <Outcome of={after} />}
        {!ok && (
          <div>
            <StateMark tone="bad" word={why ?? "not as asked"} wrap />
          </div>
        )}
        {ok && !changes(example) && <span className="text-soft">no change</span>}
      </td>
    </tr>
  );
}

/** Whether the rules change what becomes of a number. */
export const changes = ({ before, after }: ExampleCall) => said(before) !== said(after);

const said = ({ rule, path, leaves, why }: Decided) => JSON.stringify([rule?.id, path?.id, leaves, why]);

function Outcome({ of: { rule: by, path, leaves, why }, rule = false }: { of: Decided; rule?: boolean }) {
  if (!by) return "no rule matches";
  const name = rule ? `${by.name}: ` : "";
  if (!path) return `${name}${why}`;
  return (
    <>
      {name}via {path.name}, <span className="font-mono">{leaves}</span>
    </>
  );
}
