import { Field, inputLook } from "@/ui/controls";
import type { Setting } from "./model";
import { ProfileNote } from "./ProfileChoice";
import type { Advice } from "./profile";
import { inWords, isEmpty, type Value } from "./value";

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
  if (setting.kind === "flag") {
    return (
      <label className="col-span-2 flex items-center gap-2">
        <input
          type="checkbox"
          checked={value === true}
          onChange={(e) => onChange(e.target.checked || undefined)}
        />
        {setting.label}
        <span className="text-[13px] text-soft">{hint}</span>
      </label>
    );
  }
  return (
    <div className={setting.wide ? "col-span-2" : ""}>
      <Field label={setting.label} error={error} hint={setting.hint || live ? hint : undefined}>
        {(p) => {
          switch (setting.kind) {
            case "choice":
              return (
                <select
                  {...p}
                  className={inputLook}
                  value={isEmpty(value) ? "" : String(value)}
                  onChange={(e) => onChange(truth[e.target.value] ?? e.target.value)}
                >
                  {setting.options?.map(([v, word]) => (
                    <option key={v} value={v}>
                      {word}
                    </option>
                  ))}
                </select>
              );
            case "one-of":
              return (
                <select
                  {...p}
                  className={inputLook}
                  value={String(value ?? "")}
                  onChange={(e) => onChange(e.target.value)}
                >
                  {(setting.empty || isEmpty(value)) && (
                    <option value="">{setting.empty ?? "choose one"}</option>
                  )}
                  {!isEmpty(value) && !among.some((x) => x.id === value) && (
                    <option value={String(value)}>{String(value)}, which is not there</option>
                  )}
                  {among.map((x) => (
                    <option key={x.id} value={x.id}>
                      {x.name}
                    </option>
                  ))}
                </select>
              );
            case "lines":
              return <Lines p={p} rows={setting.rows ?? words} value={value} onChange={onChange} />;
            case "causes":
              return <CausesInput p={p} value={(value as number[] | undefined) ?? []} onChange={onChange} />;
            case "number":
              return (
                <span className="flex items-center gap-2">
                  <input
                    {...p}
                    type="number"
                    min={0}
                    className={`${inputLook} w-32 font-mono`}
                    value={value === undefined ? "" : Number(value)}
                    placeholder={setting.empty}
                    onChange={(e) => onChange(e.target.value === "" ? undefined : Number(e.target.value))}
                  />
                  {setting.unit && <span className="text-[13px] text-soft">{setting.unit}</span>}
                </span>
              );
            default:
              return (
                <input
                  {...p}
                  className={`${inputLook} ${setting.kind === "digits" ? "font-mono" : ""}`}
                  value={String(value ?? "")}
                  placeholder={setting.empty}
                  onChange={(e) => onChange(e.target.value)}
                  spellCheck={false}
                />
              );
          }
        }}
      </Field>
      {profile && (
        <ProfileNote row={profile} has={wordFor(setting, profile.has)} onTake={(v) => onChange(v as Value)} />
      )}
    </div>
  );
}

/** A list of plain words. */
const words: NonNullable<Setting["rows"]> = {
  write: (value) => (value as string[] | undefined) ?? [],
  read: (lines) => lines,
  tidy: (value) => (value as string[]).map((l) => l.trim()).filter(Boolean),
};

interface LinesProps {
  p: object;
  rows: NonNullable<Setting["rows"]>;
  value: Value;
  onChange: (value: Value) => void;
}

/** A list, one entry a line. */
function Lines({ p, rows, value, onChange }: LinesProps) {
  const lines = rows.write(value);
  return (
    <textarea
      {...p}
      className={`${inputLook} h-auto py-1 font-mono`}
      rows={Math.max(2, lines.length + 1)}
      value={lines.join("\n")}
      onChange={(e) => onChange(rows.read(e.target.value === "" ? [] : e.target.value.split("\n")) as Value)}
      onBlur={() => onChange(rows.tidy(rows.read(lines)) as Value)}
      spellCheck={false}
    />
  );
}

/** A value in the words of a setting. */
function wordFor(setting: Setting, value: unknown): string {
  const word = setting.options?.find(([v]) => v === (isEmpty(value) ? "" : String(value)))?.[1];
  return word ?? (isEmpty(value) && setting.empty ? setting.empty : inWords(value));
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
