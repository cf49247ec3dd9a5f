import type { Plan } from "@/api/client";
import { forms } from "@/features/routing/steps";
import { inputLook } from "@/ui/controls";
import { get, put } from "./value";

type Trunk = Plan["trunks"][number];

const rows = [
  ["home", "home numbers"],
  ["foreign", "foreign numbers"],
  ["private", "extensions"],
  ["short", "short numbers"],
  ["emergency", "emergency numbers"],
] as const;

/** Which form each kind of number must have, in both directions. */
export function ContractEditor({ trunk, onChange }: { trunk: Trunk; onChange: (t: Trunk) => void }) {
  const select = (at: string, label: string, options: readonly (readonly [string, string])[]) => (
    <select
      aria-label={label}
      className={`${inputLook} h-7`}
      value={String(get(trunk, at) ?? "")}
      onChange={(e) => onChange(put(trunk, at, e.target.value))}
    >
      {options.map(([v, word]) => (
        <option key={v} value={v}>
          {word}
        </option>
      ))}
    </select>
  );
  return (
    <div className="col-span-2">
      <table className="w-full [&_td]:pr-1.5 [&_td]:pb-1 [&_th]:text-left [&_th]:text-[13px] [&_th]:font-normal [&_th]:text-soft">
        <thead>
          <tr>
            <th className="w-1/3">from us to them</th>
            <th>called</th>
            <th>caller</th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([kind, words]) => (
            <tr key={kind}>
              <td>{words}</td>
              {(["called", "caller"] as const).map((number) => (
                <td key={number}>
                  {select(`out/${number}/${kind}`, `${words}, ${number}, from us to them`, out(kind))}
                </td>
              ))}
            </tr>
          ))}
          <tr>
            <td>from them to us</td>
            <td>{select("in/called", "called, from them to us", given)}</td>
            <td>{select("in/caller", "caller, from them to us", given)}</td>
          </tr>
        </tbody>
      </table>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={trunk.out.sendAnyway ?? false}
          onChange={(e) => onChange(put(trunk, "out/sendAnyway", e.target.checked || undefined))}
        />
        send a number that breaks the contract all the same
      </label>
    </div>
  );
}

const named = forms.map((f) => [f, f] as const);
const given = [["", "as dialled"], ...named] as const;

/** Emergency and short numbers and extensions are never converted. */
function out(kind: (typeof rows)[number][0]) {
  const ends = [
    ["", "as it is"],
    ["refuse", "refuse"],
  ] as const;
  return kind === "home" || kind === "foreign" ? [...ends, ...named] : ends;
}
