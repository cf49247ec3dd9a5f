import type { Arrival } from "@/api/client";
import { StateMark } from "@/ui/StateMark";

export type FormName = Arrival["format"]["name"];

export const formWords: Record<FormName, string> = {
  plus: "with +",
  bare: "without +",
  international: "international prefix",
  national: "national prefix",
  "national-bare": "national, no prefix",
  local: "without area code",
  "last-6": "last 6 digits",
  "last-4": "last 4 digits",
  "last-3": "last 3 digits",
};

/** One trunk: a line for each form. */
export function Forms({ name, arrivals }: { name: string; arrivals: Arrival[] }) {
  return (
    <table className="mt-1 w-full border-collapse text-left">
      <caption className="text-left text-dense text-soft">by {name}, now</caption>
      <tbody>
        {arrivals.map((a) => (
          <tr key={a.format.name} className="border-b border-line align-baseline [&>td]:py-1 [&>td]:pr-3">
            <td className="w-40 text-dense whitespace-nowrap">
              {a.declared ? (
                <StateMark tone="road" word={formWords[a.format.name]} />
              ) : (
                formWords[a.format.name]
              )}
            </td>
            <td className="w-40 font-mono text-dense">{a.format.number}</td>
            <td>
              {a.lands ? (
                <>
                  {a.resort && <span className="text-warn">last resort: </span>}
                  {a.lands.name} <span className="font-mono text-dense text-soft">{a.as}</span>
                </>
              ) : (
                <span className="text-bad">{a.why}</span>
              )}
              {!a.resort && a.rule && a.declared && (
                <span className="block text-dense text-soft">by rule {a.rule}</span>
              )}
            </td>
            <td className="text-right">
              {a.same ? (
                <StateMark tone="good" word={a.declared ? "as declared" : "the same"} />
              ) : (
                <StateMark tone="warn" word="elsewhere" />
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
