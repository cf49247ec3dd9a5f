import type { Plan } from "@/api/client";
import { inWords } from "@/lib/value";
import { Field } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { named, Select } from "@/ui/Select";
import { StateMark } from "@/ui/StateMark";
import { type Advice, useFill, useProfiles } from "./profile";

type Trunk = Plan["trunks"][number];

interface Props {
  trunk: Trunk;
  rows: Advice[];
  /** Is given the trunk as the profile filled it, and as it was asked for. */
  onFilled: (filled: Trunk, asked: Trunk) => void;
}

/** By which profile a trunk is set. Choosing one fills its settings, which can be changed after. */
export function ProfileChoice({ trunk, rows, onFilled }: Props) {
  const profiles = useProfiles();
  const fill = useFill();
  const chosen = profiles.data?.find((p) => p.id === trunk.profile);
  const choose = (id: string) =>
    fill.mutate({ trunk, choose: id || "none" }, { onSuccess: (filled) => onFilled(filled.trunk, trunk) });
  const count = (state: Advice["state"]) => rows.filter((r) => r.state === state).length;
  const departs = count("departs");
  const asked = count("asked");
  return (
    <div className="col-span-2 grid grid-cols-2 gap-x-5">
      <Field label="Profile" hint="fills the settings below">
        {(p) => (
          <Select
            {...p}
            value={trunk.profile ?? ""}
            disabled={fill.isPending}
            onChange={choose}
            none="none"
            options={named(profiles.data ?? [])}
          />
        )}
      </Field>
      {chosen && (
        <div className="pt-5 text-dense">
          <p>{chosen.about}</p>
          <p className="flex flex-wrap gap-x-4" role="status">
            {departs === 0 && asked === 0 && <StateMark tone="good" word="matches the profile" />}
            {departs > 0 && (
              <StateMark
                tone="warn"
                word={departs === 1 ? "differs in 1 setting" : `differs in ${departs} settings`}
              />
            )}
            {asked > 0 && <StateMark tone="bad" word={`${asked} required`} />}
          </p>
        </div>
      )}
      {fill.isError && (
        <div className="col-span-2">
          <Failure error={fill.error} />
        </div>
      )}
    </div>
  );
}

interface NoteProps {
  row: Advice;
  /** The setting, in words. */
  label?: string;
  /** Whether the label has to stand before it, since the setting is elsewhere. */
  apart?: boolean;
  /** The value of the profile in the words of the setting. */
  has?: string;
  onTake: (value: unknown) => void;
}

/** Why the profile has a setting so, and whether the trunk departs from it. */
export function ProfileNote({ row, label, apart, has, onTake }: NoteProps) {
  const before = apart && <span className="text-ink">{label}: </span>;
  if (row.state === "given") return null;
  if (row.state === "asked") {
    return (
      <p className="mt-1 border-l-2 border-bad pl-2 text-dense">
        <StateMark tone="bad" word="required" /> {before}
        {row.why}
      </p>
    );
  }
  if (row.state !== "departs") {
    return (
      <p className="mt-1 border-l-2 border-line pl-2 text-dense text-soft">
        {before}
        {row.why}
      </p>
    );
  }
  return (
    <p className="mt-1 border-l-2 border-warn pl-2 text-dense">
      {before}
      <span className="text-warn">differs: the profile has {has ?? inWords(row.has)}.</span> {row.why}{" "}
      <button
        type="button"
        className="text-road underline-offset-2 hover:underline"
        aria-label={`Use it: ${label ?? row.place}`}
        onClick={() => onTake(row.has)}
      >
        Use it
      </button>
    </p>
  );
}
