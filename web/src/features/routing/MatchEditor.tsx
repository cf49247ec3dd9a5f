import type { Plan, Rule, Table, When } from "@/api/client";
import { useCalendarStates } from "@/api/queries";
import { Field, inputLook } from "@/ui/controls";
import { Select } from "@/ui/Select";
import { PatternEffectView } from "./PatternEffectView";
import { PatternHelp } from "./PatternHelp";

interface Props {
  plan: Plan;
  table: Table;
  match: Rule["match"];
  onChange: (part: Partial<Rule["match"]>) => void;
  at: (field: string) => string | undefined;
  sample: string;
  onSample: (number: string) => void;
  callerSample: string;
  onCallerSample: (number: string) => void;
}

/** What a rule wants of a call: the called number, the caller, the source and the hour. */
export function MatchEditor({
  plan,
  table,
  match,
  onChange,
  at,
  sample,
  onSample,
  callerSample,
  onCallerSample,
}: Props) {
  return (
    <>
      <Field
        label="Called pattern"
        error={at("match/called")}
        hint={match.called || match.noDigits ? undefined : "empty: any number"}
      >
        {(p) => (
          <input
            {...p}
            className={`${inputLook} font-mono text-title`}
            value={match.called ?? ""}
            onChange={(e) => onChange({ called: e.target.value || undefined })}
            disabled={match.noDigits}
            spellCheck={false}
          />
        )}
      </Field>
      <PatternHelp />
      <PatternEffectView pattern={match.called ?? ""} sample={sample} onSample={onSample} />
      <Flag
        label="No digits dialled"
        on={match.noDigits}
        onChange={(noDigits) => onChange({ noDigits, ...(noDigits && { called: undefined }) })}
        error={at("match/noDigits")}
      />
      <Field
        label="Calling pattern"
        error={at("match/caller")}
        hint={match.caller || match.noCaller ? undefined : "a number or a pattern; empty: any caller"}
      >
        {(p) => (
          <input
            {...p}
            className={`${inputLook} font-mono`}
            value={match.caller ?? ""}
            onChange={(e) => onChange({ caller: e.target.value || undefined })}
            disabled={match.noCaller}
            spellCheck={false}
          />
        )}
      </Field>
      <PatternEffectView pattern={match.caller ?? ""} sample={callerSample} onSample={onCallerSample} />
      <Flag
        label="No calling number"
        on={match.noCaller}
        onChange={(noCaller) => onChange({ noCaller, ...(noCaller && { caller: undefined }) })}
        error={at("match/noCaller")}
      />
      <SourcesEditor plan={plan} table={table} match={match} onChange={onChange} at={at} />
      <WhenEditor
        plan={plan}
        when={match.when}
        onChange={(when) => onChange({ when })}
        error={at("match/when")}
      />
    </>
  );
}

export function Flag({
  label,
  on,
  onChange,
  error,
}: {
  label: string;
  on?: boolean;
  onChange: (on: true | undefined) => void;
  error?: string;
}) {
  return (
    <div>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={on ?? false}
          onChange={(e) => onChange(e.target.checked || undefined)}
        />
        {label}
      </label>
      {error && (
        <span role="alert" className="text-dense text-bad">
          {error}
        </span>
      )}
    </div>
  );
}

/** From which trunks, each or by their groups; none chosen: from any. */
function SourcesEditor({
  plan,
  table,
  match,
  onChange,
  at,
}: Pick<Props, "plan" | "table" | "match" | "onChange" | "at">) {
  const trunks = plan.trunks.filter((t) => t.switch === table.switch);
  const groups = [...new Set(trunks.flatMap((t) => (t.group ? [t.group] : [])))];
  const toggle = (list: string[] | undefined, id: string, on: boolean) => {
    const next = (list ?? []).filter((x) => x !== id).concat(on ? [id] : []);
    return next.length > 0 ? next : undefined;
  };
  const chosen = (match.trunks?.length ?? 0) + (match.trunkGroups?.length ?? 0);
  return (
    <details open={chosen > 0}>
      <summary className="cursor-pointer text-dense text-soft">
        From {chosen === 0 ? "any trunk" : "only these trunks"}
      </summary>
      <fieldset className="mt-1 grid grid-cols-2 gap-x-3 gap-y-1 text-body">
        <legend className="sr-only">Source trunks</legend>
        {groups.map((g) => (
          <Flag
            key={`group ${g}`}
            label={`Group ${g}`}
            on={match.trunkGroups?.includes(g)}
            onChange={(on) => onChange({ trunkGroups: toggle(match.trunkGroups, g, on === true) })}
          />
        ))}
        {trunks.map((t) => (
          <Flag
            key={t.id}
            label={t.name}
            on={match.trunks?.includes(t.id)}
            onChange={(on) => onChange({ trunks: toggle(match.trunks, t.id, on === true) })}
          />
        ))}
      </fieldset>
      {(at("match/trunks") ?? at("match/trunkGroups")) && (
        <span role="alert" className="text-dense text-bad">
          {at("match/trunks") ?? at("match/trunkGroups")}
        </span>
      )}
    </details>
  );
}

interface WhenProps {
  plan: Plan;
  when?: When;
  onChange: (when: When | undefined) => void;
  error?: string;
  label?: string;
}

/** Always, or in some states of a calendar. */
export function WhenEditor({ plan, when, onChange, error, label = "When" }: WhenProps) {
  const calendars = plan.calendars ?? [];
  const calendar = calendars.find((h) => h.id === when?.calendar);
  const states = useCalendarStates().data?.[calendar?.id ?? ""] ?? [];
  return (
    <Field label={label} error={error}>
      {(p) => (
        <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
          <Select
            {...p}
            small
            value={when?.calendar ?? ""}
            onChange={(id) => {
              const next = calendars.find((h) => h.id === id);
              onChange(next ? { calendar: next.id, states: [] } : undefined);
            }}
            none="Any time"
            options={calendars.map((h) => ({ value: h.id, label: `while ${h.name} is` }))}
          />
          {states.map((s) => (
            <Flag
              key={s}
              label={s}
              on={when?.states?.includes(s)}
              onChange={(on) =>
                onChange({
                  calendar: when?.calendar,
                  states: (when?.states ?? []).filter((x) => x !== s).concat(on ? [s] : []),
                })
              }
            />
          ))}
        </div>
      )}
    </Field>
  );
}
