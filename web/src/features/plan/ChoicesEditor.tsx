import { ArrowDown, ArrowUp, Plus, X } from "lucide-react";
import { useState } from "react";
import type { Plan } from "@/api/client";
import { StepsEditor } from "@/parts/StepsEditor";
import { shortStep } from "@/parts/steps";
import { Button, FieldError, inputLook } from "@/ui/controls";
import { named, Select } from "@/ui/Select";

type Path = Plan["paths"][number];
type Choice = Path["choices"][number];

interface Props {
  plan: Plan;
  path: Path;
  onChange: (choices: Choice[]) => void;
  error?: string;
}

/** The trunks of a path in order, each with its weight and digit steps of its own. */
export function ChoicesEditor({ plan, path, onChange, error }: Props) {
  const [open, setOpen] = useState<number>();
  const { choices } = path;
  const trunks = plan.trunks.filter((t) => t.switch === path.switch);
  const nameOf = (id: string) => plan.trunks.find((t) => t.id === id)?.name ?? id;
  const change = (i: number, part: Partial<Choice>) =>
    onChange(choices.map((c, j) => (j === i ? { ...c, ...part } : c)));
  const move = (i: number, to: number) => {
    const list = [...choices];
    const [moved] = list.splice(i, 1);
    if (moved) list.splice(to, 0, moved);
    onChange(list);
    setOpen(undefined);
  };
  const free = trunks.filter((t) => !choices.some((c) => c.trunk === t.id));
  return (
    <fieldset className="col-span-2 min-w-0">
      <legend className="mb-1 text-dense text-soft">Trunks in order</legend>
      <ol className="flex flex-col">
        {choices.map((c, i) => (
          <li key={c.trunk} className="border-t border-line py-1">
            <div className="flex items-center gap-2">
              <span className="w-5 text-right font-mono text-dense text-soft">{i + 1}</span>
              <span className="min-w-0 flex-1 truncate font-semibold" title={nameOf(c.trunk)}>
                {nameOf(c.trunk)}
              </span>
              {path.order === "by-weight" && (
                <label className="flex items-center gap-2 text-dense text-soft">
                  weight
                  <input
                    type="number"
                    min={1}
                    max={1000}
                    className={`${inputLook} h-7 w-20 font-mono`}
                    placeholder="1"
                    value={c.weight ?? ""}
                    onChange={(e) => change(i, { weight: Number(e.target.value) || undefined })}
                  />
                </label>
              )}
              {path.order === "cheapest-first" && (
                <span className="text-dense text-soft">
                  cost rank {plan.trunks.find((t) => t.id === c.trunk)?.costRank ?? 0}
                </span>
              )}
              <Button
                look="bare"
                className="h-7 px-2 text-dense"
                aria-expanded={open === i}
                onClick={() => setOpen(open === i ? undefined : i)}
              >
                {[...(c.calledSteps ?? []), ...(c.callerSteps ?? [])].map(shortStep).join(", ") ||
                  "no digit steps"}
              </Button>
              <Button
                look="bare"
                className="h-7 px-1"
                aria-label={`Move ${nameOf(c.trunk)} up`}
                disabled={i === 0}
                onClick={() => move(i, i - 1)}
              >
                <ArrowUp className="size-3.5" />
              </Button>
              <Button
                look="bare"
                className="h-7 px-1"
                aria-label={`Move ${nameOf(c.trunk)} down`}
                disabled={i === choices.length - 1}
                onClick={() => move(i, i + 1)}
              >
                <ArrowDown className="size-3.5" />
              </Button>
              <Button
                look="bare"
                className="h-7 px-1"
                aria-label={`Take ${nameOf(c.trunk)} out`}
                onClick={() => onChange(choices.filter((_, j) => j !== i))}
              >
                <X className="size-4" />
              </Button>
            </div>
            {open === i && (
              <div className="mt-2 flex flex-col gap-2 pl-7">
                <StepsEditor
                  title="Called number"
                  steps={c.calledSteps ?? []}
                  onChange={(called) => change(i, { calledSteps: called.length > 0 ? called : undefined })}
                  sample=""
                  switchID={path.switch}
                />
                <StepsEditor
                  title="Caller"
                  steps={c.callerSteps ?? []}
                  onChange={(caller) => change(i, { callerSteps: caller.length > 0 ? caller : undefined })}
                  sample=""
                  switchID={path.switch}
                />
              </div>
            )}
          </li>
        ))}
      </ol>
      <label className="mt-1 flex items-center gap-2 text-dense text-soft">
        <Plus className="size-4" aria-hidden="true" /> Add
        <Select
          aria-label="Add a trunk to the path"
          className="h-7 w-60"
          value=""
          disabled={free.length === 0}
          onChange={(trunk) => onChange([...choices, { trunk }])}
          none={free.length === 0 ? "all trunks of the switch are in the path" : "a trunk"}
          options={named(free)}
        />
      </label>
      {error && <FieldError>{error}</FieldError>}
    </fieldset>
  );
}
