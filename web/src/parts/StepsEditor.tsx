import { Plus, X } from "lucide-react";
import { useId, useState } from "react";
import type { DigitStep } from "@/api/client";
import { useSteps } from "@/api/queries";
import { digitSteps, stepFormats } from "@/api/words.gen";
import { Button, FieldError, inputLook } from "@/ui/controls";
import { Select, words } from "@/ui/Select";
import { Tiles } from "@/ui/Tiles";
import { fieldsOf, newStep } from "./steps";

interface Props {
  title: string;
  steps: DigitStep[];
  onChange: (steps: DigitStep[]) => void;
  /** A number to show the steps on, until another is typed. */
  sample: string;
  /** The form around it has one sample for all: this editor has no field of its own for it. */
  held?: boolean;
  form?: string;
  switchID: string;
  error?: string;
}

/** The digit steps of a rule, each with the tiles of what it does. */
export function StepsEditor({ title, steps, onChange, sample, held, form, switchID, error }: Props) {
  const [typed, setTyped] = useState<string>();
  const id = useId();
  const number = typed ?? sample;
  const effect = useSteps({ switch: switchID, number, format: form, steps });
  const put = (i: number, step: DigitStep) => onChange(steps.map((s, j) => (i === j ? step : s)));
  return (
    <fieldset className="min-w-0">
      <legend className="mb-1 text-dense text-soft">{title}: digit steps</legend>
      {steps.length > 0 && held && effect.isError && <FieldError>{effect.error.message}</FieldError>}
      {steps.length > 0 && !held && (
        <div className="mb-1 flex items-center gap-2 text-dense">
          <label htmlFor={id} className="shrink-0 text-soft">
            sample
          </label>
          <input
            id={id}
            className={`${inputLook} h-7 px-1 font-mono`}
            value={number}
            placeholder="a number"
            onChange={(e) => setTyped(e.target.value)}
          />
          {effect.isError && <FieldError>{effect.error.message}</FieldError>}
        </div>
      )}
      <ol className="flex flex-col gap-2">
        {steps.map((s, i) => {
          const made = effect.data?.steps[i];
          return (
            <li key={i} className="border-l-4 border-road-wash pl-3">
              <div className="flex items-center gap-2">
                <StepFields step={s} onChange={(step) => put(i, step)} />
                <Button
                  look="bare"
                  className="h-7 px-1"
                  aria-label={`Delete step ${i + 1}`}
                  onClick={() => onChange(steps.filter((_, j) => j !== i))}
                >
                  <X className="size-4" />
                </Button>
              </div>
              {made && (
                <div className="mt-1 flex flex-wrap items-center gap-2 text-dense">
                  {made.failed ? <FieldError>{made.note}</FieldError> : <Tiles runs={made.runs} size="sm" />}
                  {!made.failed && (
                    <span className="text-soft">
                      {[made.format.replace("-", " "), made.note].filter(Boolean).join(": ")}
                    </span>
                  )}
                </div>
              )}
            </li>
          );
        })}
      </ol>
      <Button
        look="bare"
        className="mt-1 h-7 px-1 text-road"
        onClick={() => onChange([...steps, newStep("remove-first")])}
      >
        <Plus className="size-4" aria-hidden="true" /> Add a step
      </Button>
      {error && <FieldError>{error}</FieldError>}
    </fieldset>
  );
}

const small = `${inputLook} h-7 px-1`;

function StepFields({ step, onChange }: { step: DigitStep; onChange: (step: DigitStep) => void }) {
  const fields = fieldsOf(step.op);
  const text = (label: string, value: string | undefined, set: (v: string) => DigitStep) => (
    <input
      aria-label={label}
      placeholder={label}
      className={`${small} font-mono`}
      value={value ?? ""}
      onChange={(e) => onChange(set(e.target.value))}
    />
  );
  return (
    <div className="grid min-w-0 flex-1 grid-cols-[8rem_1fr] items-start gap-2">
      <Select
        aria-label="Digit step"
        small
        value={step.op}
        onChange={(op) => onChange(newStep(op as DigitStep["op"]))}
        options={digitSteps.map((o) => ({ value: o.op, label: o.label }))}
      />
      <div className={`flex min-w-0 gap-2 ${fields.includes("from") ? "col-span-2" : ""}`}>
        {fields.includes("count") && (
          <input
            aria-label="how many"
            type="number"
            min={1}
            max={32}
            className={`${small} w-16 font-mono`}
            value={step.count ?? 1}
            onChange={(e) => onChange({ ...step, count: Number(e.target.value) })}
          />
        )}
        {fields.includes("prefix") && text("prefix", step.prefix, (prefix) => ({ ...step, prefix }))}
        {fields.includes("digits") && text("digits", step.digits, (digits) => ({ ...step, digits }))}
        {fields.includes("format") && (
          <Select
            aria-label="number format"
            small
            value={step.format ?? ""}
            onChange={(format) => onChange({ ...step, format })}
            options={words(stepFormats)}
          />
        )}
        {fields.includes("from") && <BlockFields step={step} onChange={onChange} />}
      </div>
    </div>
  );
}

function BlockFields({ step, onChange }: { step: DigitStep; onChange: (step: DigitStep) => void }) {
  const end = (side: "from" | "to", which: "first" | "last") => (
    <input
      aria-label={`${side} block, ${which} number`}
      className={`${small} font-mono text-dense`}
      value={step[side]?.[which] ?? ""}
      onChange={(e) =>
        onChange({ ...step, [side]: { first: "", last: "", ...step[side], [which]: e.target.value } })
      }
    />
  );
  return (
    <div className="flex w-full flex-col gap-1 text-dense text-soft">
      <span className="flex items-center gap-1">
        <span className="w-9 shrink-0">from</span> {end("from", "first")}–{end("from", "last")}
      </span>
      <span className="flex items-center gap-1">
        <span className="w-9 shrink-0">to</span> {end("to", "first")}–{end("to", "last")}
      </span>
    </div>
  );
}
