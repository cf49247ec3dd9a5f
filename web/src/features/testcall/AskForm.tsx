import { PhoneCall, Route as RouteIcon } from "lucide-react";
import { useEffect, useRef } from "react";
import { Problem, type TryAsk } from "@/api/client";
import { useSources } from "@/api/queries";
import { Button, Field, inputLook, Kbd } from "@/ui/controls";
import { Select } from "@/ui/Select";
import { plans } from "./ask";
import { Conditions } from "./Conditions";

export function fieldErrors(error: unknown): boolean {
  return (
    error instanceof Problem &&
    ["body.from", "body.called", "body.simulate.time", "body.emergency"].some(
      (f) => error.at(f) !== undefined,
    )
  );
}

export interface FormProps {
  ask: TryAsk;
  /** Dry: by the live plan and the draft, side by side. */
  both: boolean;
  set: (field: string, value: string) => void;
  change: (edit: (p: URLSearchParams) => void) => void;
  run: (mode: TryAsk["mode"]) => void;
  busy: boolean;
  error: unknown;
}

export function AskForm({ ask, both, set, change, run, busy, error }: FormProps) {
  const sources = useSources();
  const dial = useRef<HTMLInputElement>(null);
  useEffect(() => dial.current?.focus(), []);
  const at = (field: string) => (error instanceof Problem ? error.at(`body.${field}`) : undefined);
  return (
    <form
      className="border-b border-line bg-sheet px-4 py-3"
      onSubmit={(e) => {
        e.preventDefault();
        run((e.nativeEvent as SubmitEvent).submitter?.dataset.mode === "live" ? "live" : "dry");
      }}
      onKeyDown={(e) => {
        if (e.key === "Enter" && e.ctrlKey) {
          e.preventDefault();
          run("live");
        }
      }}
    >
      <div className="grid grid-cols-[12rem_minmax(14rem,22rem)_12rem_9rem_auto] items-start gap-3">
        <Field label="From" hint="Extension or trunk" error={at("from")}>
          {(p) => (
            <input
              {...p}
              className={`${inputLook} font-mono`}
              list="sources"
              value={ask.from}
              onFocus={() => set("from", ask.from)}
              onChange={(e) => set("from", e.target.value)}
              required
            />
          )}
        </Field>
        <datalist id="sources">
          {sources.data?.map((s) => (
            <option key={s.id} value={s.from} label={s.label} />
          ))}
        </datalist>
        <Field label="Dial" hint="Digits as dialled" error={at("called")}>
          {(p) => (
            <input
              {...p}
              ref={dial}
              className={`${inputLook} font-mono text-title`}
              value={ask.called}
              onChange={(e) => set("dial", e.target.value)}
              inputMode="tel"
            />
          )}
        </Field>
        <Field label="Calling number" hint="Default: the extension">
          {(p) => (
            <input
              {...p}
              className={`${inputLook} font-mono`}
              value={ask.caller ?? ""}
              onChange={(e) => set("caller", e.target.value)}
            />
          )}
        </Field>
        <Field label="Dry run by">
          {(p) => (
            <Select
              {...p}
              value={both ? "both" : ask.plan}
              onChange={(plan) => set("plan", plan)}
              options={[...plans, { value: "both", label: "both" }]}
            />
          )}
        </Field>
        <div className="flex gap-2 pt-[1.35rem]">
          <Button type="submit" data-mode="dry" disabled={busy} title="Enter">
            <RouteIcon className="size-4" aria-hidden="true" /> Dry run <Kbd>Enter</Kbd>
          </Button>
          <Button type="submit" look="main" data-mode="live" disabled={busy} title="Ctrl Enter">
            <PhoneCall className="size-4" aria-hidden="true" /> Call live
          </Button>
        </div>
      </div>
      {at("emergency") && (
        <label role="alert" className="mt-2 flex items-center gap-2">
          <input type="checkbox" onChange={(e) => set("emergency", e.target.checked ? "yes" : "")} />
          <span>{error instanceof Problem && error.message} Confirm, then call again.</span>
        </label>
      )}
      <Conditions
        simulate={ask.simulate}
        from={ask.from}
        set={set}
        change={change}
        error={at("simulate/time")}
      />
    </form>
  );
}
