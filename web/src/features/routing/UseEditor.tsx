import type { Plan, Rule } from "@/api/client";
import { classes as permittedClasses } from "@/parts/classes";
import { Field, inputLook } from "@/ui/controls";
import { Flag } from "./MatchEditor";

interface Props {
  plan: Plan;
  rule: Rule;
  onChange: (part: Partial<Rule>) => void;
  at: (field: string) => string | undefined;
}

/** Those that a rule can be meant for; unallocated numbers are no aim. */
const classes = ["emergency", ...permittedClasses.filter((c) => c !== "unknown")] as const;

/** Who may use a rule, what it is meant for, and when a number is complete. */
export function UseEditor({ plan, rule, onChange, at }: Props) {
  const groups = plan.callerGroups ?? [];
  return (
    <>
      {groups.length > 0 && (
        <details open={(rule.callerGroups?.length ?? 0) > 0}>
          <summary className="cursor-pointer text-dense text-soft">
            For{" "}
            {rule.callerGroups?.length
              ? "these caller groups only; others are rejected"
              : "every caller group"}
          </summary>
          <fieldset className="mt-1 grid grid-cols-2 gap-x-3 text-body">
            <legend className="sr-only">Caller groups</legend>
            {groups.map((g) => (
              <Flag
                key={g.id}
                label={g.name}
                on={rule.callerGroups?.includes(g.id)}
                onChange={(on) => {
                  const next = (rule.callerGroups ?? []).filter((x) => x !== g.id).concat(on ? [g.id] : []);
                  onChange({ callerGroups: next.length > 0 ? next : undefined });
                }}
              />
            ))}
          </fieldset>
        </details>
      )}
      <div className="grid grid-cols-2 gap-3">
        <Field label="Meant for" error={at("class")} hint="decides nothing; a difference is told">
          {(p) => (
            <select
              {...p}
              className={inputLook}
              value={rule.class ?? ""}
              onChange={(e) => onChange({ class: (e.target.value || undefined) as Rule["class"] })}
            >
              <option value="">not said</option>
              {classes.map((c) => (
                <option key={c} value={c}>
                  {c} calls
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="When complete" error={at("complete")}>
          {(p) => (
            <select
              {...p}
              className={inputLook}
              value={rule.complete ?? ""}
              disabled={rule.catchAll}
              onChange={(e) => onChange({ complete: (e.target.value || undefined) as Rule["complete"] })}
            >
              <option value="">wait, but not for emergency</option>
              <option value="wait">wait for a longer number</option>
              <option value="at-once">connect at once</option>
            </select>
          )}
        </Field>
      </div>
      <Flag
        label="last resort: takes what no other rule does"
        on={rule.catchAll}
        onChange={(lastResort) =>
          onChange({ catchAll: lastResort, ...(lastResort && { complete: undefined }) })
        }
      />
    </>
  );
}
