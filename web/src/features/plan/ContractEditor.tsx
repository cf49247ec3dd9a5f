import type { Plan } from "@/api/client";
import { stepFormats } from "@/api/words.gen";
import { get, put } from "@/lib/value";
import { inputLook } from "@/ui/controls";
import { Select } from "@/ui/Select";
import { ProfileNote } from "./ProfileChoice";
import type { Advice } from "./profile";

type Trunk = Plan["trunks"][number];

const rows = [
  ["domestic", "domestic numbers"],
  ["international", "international numbers"],
  ["extension", "extensions"],
  ["short", "short numbers"],
  ["emergency", "emergency numbers"],
] as const;

interface Props {
  trunk: Trunk;
  /** What its profile says of the forms. */
  profile: Advice[];
  onChange: (t: Trunk) => void;
}

/** Which form each kind of number must have, in both directions. */
export function ContractEditor({ trunk, profile, onChange }: Props) {
  const departs = (at: string) => profile.some((r) => r.place === at && r.state === "departs");
  const select = (at: string, label: string, options: readonly (readonly [string, string])[]) => (
    <Select
      aria-label={label}
      className={`h-7 ${departs(at) ? "border-l-2 border-l-warn" : ""}`}
      value={String(get(trunk, at) ?? "")}
      onChange={(v) => onChange(put(trunk, at, v))}
      options={options.filter(([v]) => v !== "").map(([value, label]) => ({ value, label }))}
      none={options.find(([v]) => v === "")?.[1]}
    />
  );
  return (
    <div className="col-span-2">
      <table className="w-full [&_td]:pr-2 [&_td]:pb-1 [&_th]:text-left [&_th]:text-dense [&_th]:font-normal [&_th]:text-soft">
        <thead>
          <tr>
            <th className="w-1/3">outbound</th>
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
                  {select(`out/${number}/${kind}`, `${words}, ${number}, outbound`, out(kind))}
                </td>
              ))}
            </tr>
          ))}
          <tr>
            <td>prefix of public numbers</td>
            {(["called", "caller"] as const).map((number) => (
              <td key={number}>
                <input
                  aria-label={`prefix ${number} numbers, outbound`}
                  className={`${inputLook} h-7 font-mono ${departs(`out/${number}/prefix`) ? "border-l-2 border-l-warn" : ""}`}
                  placeholder="nothing"
                  maxLength={8}
                  value={String(get(trunk, `out/${number}/prefix`) ?? "")}
                  onChange={(e) => onChange(put(trunk, `out/${number}/prefix`, e.target.value))}
                />
              </td>
            ))}
          </tr>
          <tr>
            <td>inbound</td>
            <td>{select("in/calledFormat", "called, inbound", given)}</td>
            <td>{select("in/callerFormat", "calling, inbound", given)}</td>
          </tr>
        </tbody>
      </table>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={trunk.out.sendAnyway ?? false}
          onChange={(e) => onChange(put(trunk, "out/sendAnyway", e.target.checked || undefined))}
        />
        send numbers that break the contract
      </label>
      <label className="mt-1 flex items-center gap-2">
        <span className="text-dense text-soft">Calling number in another format</span>
        <Select
          className="w-44"
          value={trunk.out.callerFallback ?? ""}
          onChange={(v) => onChange(put(trunk, "out/callerFallback", v || undefined))}
          none="remove (default)"
          options={[{ value: "as-is", label: "send unchanged" }]}
        />
        <span className="text-dense text-soft">never ends the call</span>
      </label>
      <div className="mt-1 flex flex-col gap-1">
        {grouped(profile).map(({ row, label }) => (
          <ProfileNote
            key={row.place}
            row={row}
            label={label}
            apart
            onTake={(v) => onChange(put(trunk, row.place, v))}
          />
        ))}
      </div>
    </div>
  );
}

/** Where a form of the contract stands, in words. */
function placeInWords(place: string): string {
  const [way, number, kind] = place.split("/");
  if (way === "in") return `${number}, inbound`;
  if (kind === "prefix") return `prefix ${number} numbers`;
  const of = rows.find(([k]) => k === kind)?.[1];
  return of ? `${number} ${of}` : "breaches";
}

/** The lines for the contract; those that follow for the same reason stand in one. */
function grouped(profile: Advice[]): { row: Advice; label: string }[] {
  const list: { row: Advice; label: string }[] = [];
  for (const row of profile.filter((r) => /^(in|out)\//.test(r.place))) {
    const label = placeInWords(row.place);
    const alike = list.find(
      (l) => l.row.why === row.why && l.row.state === "follows" && row.state === "follows",
    );
    if (alike) alike.label += `, ${label}`;
    else list.push({ row, label });
  }
  return list;
}

const named = stepFormats.map((f) => [f, f] as const);
const given = [["", "as dialled"], ...named] as const;

/** Emergency and short numbers and extensions are never converted. */
function out(kind: (typeof rows)[number][0]) {
  const ends = [
    ["", "unchanged"],
    ["refuse", "refuse"],
  ] as const;
  return kind === "domestic" || kind === "international" ? [...ends, ...named] : ends;
}
