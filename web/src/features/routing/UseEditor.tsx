import type { Plan, Rule } from "@/api/client";
import { classes as permittedClasses } from "@/parts/classes";
import { Field } from "@/ui/controls";
import { Select } from "@/ui/Select";
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
            <Select
              {...p}
              value={rule.class ?? ""}
              onChange={(c) => onChange({ class: (c || undefined) as Rule["class"] })}
              none="not said"
              options={classes.map((c) => ({ value: c, label: `${c} calls` }))}
            />
          )}
        </Field>
        <Field label="When complete" error={at("complete")}>
          {(p) => (
            <Select
              {...p}
              value={rule.complete ?? ""}
              disabled={rule.catchAll}
              onChange={(c) => onChange({ complete: (c || undefined) as Rule["complete"] })}
              none="wait, but not for emergency"
              options={[
                { value: "wait", label: "wait for a longer number" },
                { value: "at-once", label: "connect at once" },
              ]}
            />
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
