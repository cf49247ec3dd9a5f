import { inWords, isEmpty, type Value } from "@/lib/value";
import { Field, inputLook } from "@/ui/controls";
import { named, Select } from "@/ui/Select";
import type { Setting } from "./model";
import { ProfileNote } from "./ProfileChoice";
import type { Advice } from "./profile";

interface Props {
  setting: Setting;
  value: Value;
  /** What the live plan has there; nothing to say if it is the same. */
  live?: { value: unknown };
  /** What the profile of the object says of it. */
  profile?: Advice;
  among: { id: string; name: string }[];
  error?: string;
  onChange: (value: Value) => void;
}

/** One setting: its value, what an empty one stands for, what it is live, what is wrong with it. */
export function SettingField({ setting, value, live, profile, among, error, onChange }: Props) {
  const hint = (
    <>
      {setting.hint}
      {live && (
        <span className="text-draft">
          {setting.hint && " · "}live: {inWords(live.value)}
        </span>
      )}
    </>
  );
  const note = profile && (
    <ProfileNote row={profile} has={wordFor(setting, profile.has)} onTake={(v) => onChange(v as Value)} />
  );
  if (setting.input === "flag") {
    return (
      <div className="col-span-2">
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={value === true}
            onChange={(e) => onChange(e.target.checked || undefined)}
          />
          {setting.label}
          <span className="text-dense text-soft">{hint}</span>
        </label>
        {note}
      </div>
    );
  }
  return (
    <div className={setting.wide ? "col-span-2" : ""}>
      <Field label={setting.label} error={error} hint={setting.hint || live ? hint : undefined}>
        {(p) => {
          switch (setting.input) {
            case "choice":
              return (
                <Select
                  {...p}
                  value={isEmpty(value) || value === setting.same ? "" : String(value)}
                  onChange={(v) => onChange(truth[v] ?? v)}
                  none={setting.options?.find((o) => o.value === "")?.label}
                  options={setting.options?.filter((o) => o.value !== "") ?? []}
                />
              );
            case "reference":
              return (
                <Select
                  {...p}
                  value={String(value ?? "")}
                  onChange={onChange}
                  none={setting.default}
                  options={named(among)}
                />
              );
            case "lines":
            case "references":
              return <Lines p={p} setting={setting} value={value} onChange={onChange} />;
            case "causes":
              return <CausesInput p={p} value={(value as number[] | undefined) ?? []} onChange={onChange} />;
            case "number":
              return (
                <span className="flex items-center gap-2">
                  <input
                    {...p}
                    type="number"
                    min={setting.min ?? 0}
                    max={setting.max}
                    className={`${inputLook} w-32 font-mono`}
                    value={value === undefined ? "" : Number(value)}
                    placeholder={setting.default}
                    onChange={(e) => onChange(e.target.value === "" ? undefined : Number(e.target.value))}
                  />
                  {setting.unit && <span className="text-dense text-soft">{setting.unit}</span>}
                </span>
              );
            default:
              return (
                <input
                  {...p}
                  className={`${inputLook} ${setting.input === "code" ? "font-mono" : ""}`}
                  value={String(value ?? "")}
                  placeholder={setting.default}
                  onChange={(e) => onChange(e.target.value)}
                  spellCheck={false}
                />
              );
          }
        }}
      </Field>
      {note}
    </div>
  );
}

/** How the lines of a field stand for a list. */
interface Rows {
  write: (value: unknown) => string[];
  read: (lines: string[]) => unknown;
  /** What is left when the field is left. */
  tidy: (value: unknown) => unknown;
}

const rowsOf = (setting: Setting): Rows => (setting.columns ? objects(setting.columns) : words);

type Row = Record<string, string | undefined>;

/** A list of objects: their fields stand in a line, the last one takes the rest of it. */
const objects = (columns: string[]): Rows => ({
  write: (value) =>
    ((value as Row[] | undefined) ?? []).map((o) =>
      columns
        .map((c) => o[c])
        .filter((v) => v !== undefined)
        .join(" "),
    ),
  read: (lines) =>
    lines.map((line) => {
      const row: Row = {};
      let rest = line;
      for (const [i, c] of columns.entries()) {
        const space = i < columns.length - 1 ? rest.search(/\s/) : -1;
        row[c] = space < 0 ? rest : rest.slice(0, space);
        if (space < 0) break;
        rest = rest.slice(space + 1).trimStart();
      }
      return row;
    }),
  tidy: (value) =>
    (value as Row[])
      .filter((o) => o[columns[0] ?? ""])
      .map((o) => Object.fromEntries(Object.entries(o).filter(([, v]) => v))),
});

/** A list of plain words. */
const words: Rows = {
  write: (value) => (value as string[] | undefined) ?? [],
  read: (lines) => lines,
  tidy: (value) => (value as string[]).map((l) => l.trim()).filter(Boolean),
};

interface LinesProps {
  p: object;
  setting: Setting;
  value: Value;
  onChange: (value: Value) => void;
}

/** A list, one entry a line. */
function Lines({ p, setting, value, onChange }: LinesProps) {
  const rows = rowsOf(setting);
  const lines = rows.write(value);
  return (
    <textarea
      {...p}
      className={`${inputLook} h-auto py-1 font-mono`}
      rows={Math.max(2, lines.length + 1)}
      wrap="off"
      placeholder={setting.default}
      value={lines.join("\n")}
      onChange={(e) => onChange(rows.read(e.target.value === "" ? [] : e.target.value.split("\n")) as Value)}
      onBlur={() => onChange(rows.tidy(rows.read(lines)) as Value)}
      spellCheck={false}
    />
  );
}

/** A value in the words of a setting. */
function wordFor(setting: Setting, value: unknown): string {
  const word = setting.options?.find((o) => o.value === (isEmpty(value) ? "" : String(value)))?.label;
  return word ?? (isEmpty(value) && setting.default ? setting.default : inWords(value));
}

/** Choices that stand for yes and no. */
const truth: Record<string, boolean> = { true: true, false: false };

/** Numbers of causes with commas between them. */
function CausesInput({
  p,
  value,
  onChange,
}: {
  p: object;
  value: number[];
  onChange: (value: number[]) => void;
}) {
  return (
    <input
      {...p}
      className={`${inputLook} font-mono`}
      defaultValue={value.join(", ")}
      placeholder="none"
      onBlur={(e) => onChange((e.target.value.match(/\d+/g) ?? []).map(Number))}
    />
  );
}
