import { useId } from "react";
import type { TryAsk } from "@/api/client";
import { useSources } from "@/api/queries";
import { Field, inputLook } from "@/ui/controls";
import { Select } from "@/ui/Select";
import type { FormProps } from "./AskForm";
import { plans } from "./ask";

/** Who dials, and which plan decides. */
export function SourceFields({ ask, set }: { ask: Pick<TryAsk, "from" | "plan">; set: FormProps["set"] }) {
  const sources = useSources();
  const list = useId();
  return (
    <div className="grid grid-cols-2 gap-3">
      <Field label="From" hint="an extension or a trunk">
        {(p) => (
          <input
            {...p}
            className={`${inputLook} font-mono`}
            list={list}
            value={ask.from}
            onChange={(e) => set("from", e.target.value)}
            required
          />
        )}
      </Field>
      <datalist id={list}>
        {sources.data?.map((s) => (
          <option key={s.id} value={s.from} label={s.label} />
        ))}
      </datalist>
      <Field label="Plan">
        {(p) => <Select {...p} value={ask.plan} onChange={(plan) => set("plan", plan)} options={plans} />}
      </Field>
    </div>
  );
}
