import { useState } from "react";
import type { DigitStep, Plan, PublicNumber } from "@/api/client";
import { useMapping } from "@/api/queries";
import { type FormName, formWords } from "@/parts/Arrivals";
import { MappedView } from "@/parts/Landing";
import { StepsEditor } from "@/parts/StepsEditor";
import { Failure } from "@/ui/feedback";
import { Select } from "@/ui/Select";

interface Props {
  plan: Plan;
  number: PublicNumber;
  onTake: (extension: string) => void;
}

const givenAs: FormName[] = ["plus", "national", "national-bare", "local", "last-6", "last-4", "last-3"];

/** A mapping by cutting and prefixing, worked out over the whole block before anybody relies on it. */
export function MappingByDigits({ plan, number, onTake }: Props) {
  const [form, setForm] = useState<FormName>("national");
  const [steps, setSteps] = useState<DigitStep[]>([]);
  const mapping = useMapping({
    first: number.first,
    last: number.last,
    format: form as never,
    steps,
    destination: number.destination ?? "",
  });
  const trunk = plan.destinations.find((d) => d.id === number.destination)?.trunk;
  const switchID = plan.trunks.find((t) => t.id === trunk)?.switch ?? plan.switches[0]?.id ?? "";
  return (
    <details className="mt-3 border-t-2 border-line pt-2">
      <summary className="font-semibold">Check a mapping by digit steps</summary>
      <p className="text-dense text-soft">Computes the digit steps for every number of the block.</p>
      <label className="mt-1 mb-1 flex items-center gap-2 text-dense">
        <span className="text-soft">number as received</span>
        <Select
          small
          value={form}
          onChange={(f) => setForm(f as FormName)}
          options={givenAs.map((f) => ({ value: f, label: formWords[f] }))}
        />
      </label>
      <StepsEditor
        title="Mapping"
        steps={steps}
        onChange={setSteps}
        sample={number.first}
        form="e164"
        switchID={switchID}
      />
      {mapping.isError && <Failure error={mapping.error} />}
      {steps.length > 0 && mapping.data && (
        <div className="mt-2">
          <MappedView mapped={mapping.data} onTake={onTake} />
        </div>
      )}
    </details>
  );
}
