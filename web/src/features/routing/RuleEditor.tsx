import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type PatternEffect, type Plan, type Rule, type Table, take } from "@/api/client";
import { useChanges, usePattern } from "@/api/queries";
import { differences } from "@/lib/value";
import { DeleteButton } from "@/parts/edit/DeleteButton";
import { SaveBar } from "@/parts/edit/SaveBar";
import { useEdit } from "@/parts/edit/useEdit";
import { fieldLabel } from "@/parts/fields";
import { StepsEditor } from "@/parts/StepsEditor";
import { Field, inputLook } from "@/ui/controls";
import { ArrivalsView } from "./ArrivalsView";
import { EffectView } from "./EffectView";
import { Flag, MatchEditor } from "./MatchEditor";
import { RuleMapping } from "./RuleMapping";
import { ThenEditor } from "./ThenEditor";
import { UseEditor } from "./UseEditor";

interface Props {
  plan: Plan;
  table: Table;
  rule: Rule;
  /** Of a new rule: the id of the rule that it precedes. */
  before?: string;
  /** The number that the person holds against rules; empty for the pattern's own. */
  sample: string;
  onSample: (number: string) => void;
}

/** Edits one rule of the draft, with its effect beside every field. */
export function RuleEditor({ plan, table, rule, before, sample, onSample }: Props) {
  const navigate = useNavigate();
  const isNew = rule.id === "";
  const edit = useEdit<Rule>({
    object: rule,
    isNew,
    definition: "Rule",
    put: ({ is, was }, query) =>
      take(
        api.PUT("/api/draft/rules", {
          params: { query },
          body: { table: table.id, rule: is, was, ...(isNew && before && { before }) },
        }),
      ),
    onSaved: (saved) => navigate(`/routing/${table.id}/${saved.id}`, { replace: true }),
  });
  const { value: edited, at } = edit;
  const pattern = usePattern(edited.match.called ?? "", []);
  const callerPattern = usePattern(edited.match.caller ?? "", []);
  const calledSample = sample || longest(pattern.data) || "";
  const [caller, setCaller] = useState("");
  const callerSample = caller || longest(callerPattern.data) || "";
  const change = (part: Partial<Rule>) => edit.replace((r) => ({ ...r, ...part }));
  const match = (part: Partial<Rule["match"]>) =>
    edit.replace((r) => ({ ...r, match: { ...r.match, ...part } }));
  const differs = useChanges().data?.changes.some((c) => c.kind === "rule" && c.id === rule.id);
  return (
    <aside className="min-h-0 border-l border-line bg-sheet" aria-label={`Rule ${rule.name}`}>
      <form className="flex h-full flex-col" {...edit.form}>
        <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-auto p-4">
          <fieldset className="sticky -top-4 z-10 -mx-4 -mt-4 grid grid-cols-2 gap-3 border-y border-line bg-sunk px-4 py-1">
            <legend className="sr-only">Sample numbers</legend>
            <Sample label="Sample called number" value={calledSample} onChange={onSample} />
            <Sample label="Sample calling number" value={callerSample} onChange={setCaller} />
          </fieldset>
          <Field label="Name" error={at("name")}>
            {(p) => (
              <input
                {...p}
                className={`${inputLook} font-semibold`}
                value={edited.name}
                onChange={(e) => change({ name: e.target.value })}
                required
              />
            )}
          </Field>
          <MatchEditor
            plan={plan}
            table={table}
            match={edited.match}
            onChange={match}
            at={at}
            sample={calledSample}
            onSample={onSample}
            callerSample={callerSample}
            onCallerSample={setCaller}
          />
          <StepsEditor
            title="Called number"
            steps={edited.calledSteps ?? []}
            onChange={(called) => change({ calledSteps: called.length > 0 ? called : undefined })}
            sample={calledSample}
            held
            form={table.format}
            switchID={table.switch}
            error={at("calledSteps")}
          />
          <StepsEditor
            title="Calling number"
            steps={edited.callerSteps ?? []}
            onChange={(caller) => change({ callerSteps: caller.length > 0 ? caller : undefined })}
            sample={callerSample}
            held
            form="private"
            switchID={table.switch}
            error={at("callerSteps")}
          />
          <ThenEditor
            plan={plan}
            table={table}
            then={edited.then}
            onChange={(then) => change({ then })}
            error={at("then")}
          />
          <RuleMapping table={table} rule={edited} onTake={(called) => change({ calledSteps: called })} />
          <EffectView table={table} rule={edited} />
          <ArrivalsView plan={plan} table={table} rule={edited} />
          <UseEditor plan={plan} rule={edited} onChange={change} at={at} />
          <Flag label="Disabled" on={edited.disabled} onChange={(disabled) => change({ disabled })} />
          <Field label="Note" error={at("note")}>
            {(p) => (
              <input
                {...p}
                className={inputLook}
                value={edited.note ?? ""}
                onChange={(e) => change({ note: e.target.value || undefined })}
              />
            )}
          </Field>
        </div>
        <SaveBar
          edit={edit}
          changed={differences(rule, edited).map((place) => fieldLabel({ kind: "rule" }, place, []))}
          differs={differs}
        >
          {!isNew && (
            <>
              <Link
                to={`/routing/${table.id}/new?copy=${rule.id}`}
                className="text-road underline-offset-2 hover:underline"
              >
                Clone
              </Link>
              <DeleteButton
                remove={() =>
                  take(api.DELETE("/api/draft/rules/{id}", { params: { path: { id: rule.id } } }))
                }
                onGone={() => navigate(`/routing/${table.id}`)}
              />
            </>
          )}
          <Link to={`/routing/${table.id}`} className="text-road underline-offset-2 hover:underline">
            Close
          </Link>
        </SaveBar>
      </form>
    </aside>
  );
}

/** A number that every part of the editor shows its effect on. */
function Sample({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string;
  onChange: (number: string) => void;
}) {
  return (
    <label className="flex min-w-0 items-center gap-2 text-dense text-soft">
      <span className="shrink-0">{label}</span>
      <input
        className={`${inputLook} h-7 font-mono`}
        value={value}
        onChange={(e) => onChange(e.target.value)}
      />
    </label>
  );
}

/** The longest of a pattern's samples: the one that shows most of a step. */
function longest(effect: PatternEffect | undefined): string | undefined {
  return effect?.samples.toSorted((a, b) => b.length - a.length)[0] || undefined;
}
