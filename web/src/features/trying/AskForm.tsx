import { PhoneCall, Route as RouteIcon } from "lucide-react";
import { useEffect, useRef } from "react";
import { Problem, type TryAsk } from "@/api/client";
import { useHours, useNetwork, useSources } from "@/api/queries";
import { Button, Field, inputLook, Kbd, smallLook } from "@/ui/controls";
import { localMoment } from "./ask";

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
        <Field label="From" hint="an extension or a trunk" error={at("from")}>
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
        <Field label="Dial" hint="as on the keys of the phone" error={at("called")}>
          {(p) => (
            <input
              {...p}
              ref={dial}
              className={`${inputLook} font-mono text-[16px]`}
              value={ask.called}
              onChange={(e) => set("dial", e.target.value)}
              inputMode="tel"
            />
          )}
        </Field>
        <Field label="Caller" hint="empty: the extension's own">
          {(p) => (
            <input
              {...p}
              className={`${inputLook} font-mono`}
              value={ask.caller ?? ""}
              onChange={(e) => set("caller", e.target.value)}
            />
          )}
        </Field>
        <Field label="Dry: decided by">
          {(p) => (
            <select
              {...p}
              className={inputLook}
              value={both ? "both" : ask.plan}
              onChange={(e) => set("plan", e.target.value)}
            >
              <option value="live">live plan</option>
              <option value="draft">draft</option>
              <option value="both">both</option>
            </select>
          )}
        </Field>
        <div className="flex gap-2 pt-[1.35rem]">
          <Button type="submit" data-mode="dry" disabled={busy} title="Enter">
            <RouteIcon className="size-4" aria-hidden="true" /> Dry <Kbd>Enter</Kbd>
          </Button>
          <Button type="submit" look="main" data-mode="live" disabled={busy} title="Ctrl Enter">
            <PhoneCall className="size-4" aria-hidden="true" /> Call live
          </Button>
        </div>
      </div>
      {at("emergency") && (
        <label role="alert" className="mt-2 flex items-center gap-2">
          <input type="checkbox" onChange={(e) => set("emergency", e.target.checked ? "yes" : "")} />
          <span>{error instanceof Problem && error.message} Tick this and call again if they do.</span>
        </label>
      )}
      <Supposed simulate={ask.simulate} set={set} change={change} error={at("simulate/time")} />
    </form>
  );
}

/** Dry: the moment of the call, and which trunks are simulated as down or full. */
export function Supposed({
  simulate,
  set,
  change,
  error,
}: Pick<FormProps, "set" | "change"> & {
  simulate: TryAsk["simulate"];
  error?: string;
}) {
  const network = useNetwork();
  const hours = useHours();
  const stateOf = (id: string) =>
    simulate?.down?.includes(id) ? "down" : simulate?.full?.includes(id) ? "full" : "up";
  const suppose = (id: string, state: string) =>
    change((p) => {
      p.delete("down", id);
      p.delete("full", id);
      if (state !== "up") p.append(state, id);
    });
  return (
    <fieldset className="mt-2 flex flex-wrap items-center gap-x-4 gap-y-1 text-[13px]">
      <legend className="float-left mr-4 text-soft">Simulate</legend>
      <label className="flex items-center gap-1.5 whitespace-nowrap">
        it is
        <input
          type="datetime-local"
          className={smallLook}
          value={localMoment(simulate?.time)}
          onChange={(e) => set("at", e.target.value ? new Date(e.target.value).toISOString() : "")}
        />
        {!simulate?.time && <span className="text-soft">now</span>}
      </label>
      {error && (
        <span role="alert" className="text-bad">
          {error}
        </span>
      )}
      {hours.data?.map((h) => (
        <label key={h.id} className="flex items-center gap-1 whitespace-nowrap">
          {h.name}
          <select
            className={`${smallLook} ${simulate?.overrides?.[h.id] ? "font-semibold" : "text-soft"}`}
            value={simulate?.overrides?.[h.id] ?? ""}
            onChange={(e) =>
              change((p) => {
                const others = p.getAll("hand").filter((x) => !x.startsWith(`${h.id}:`));
                p.delete("hand");
                for (const x of others) p.append("hand", x);
                if (e.target.value) p.append("hand", `${h.id}:${e.target.value}`);
              })
            }
            aria-label={`Simulate calendar ${h.name}`}
          >
            <option value="">{simulate?.time ? "by schedule" : "as now"}</option>
            {h.states.map((s) => (
              <option key={s}>{s}</option>
            ))}
          </select>
        </label>
      ))}
      {network.data?.trunks.map((t) => (
        <label key={t.id} className="flex items-center gap-1 whitespace-nowrap">
          {t.name}
          <select
            className={`${smallLook} ${stateOf(t.id) === "up" ? "text-soft" : "font-semibold"}`}
            value={stateOf(t.id)}
            onChange={(e) => suppose(t.id, e.target.value)}
            aria-label={`Simulate ${t.name}`}
          >
            <option value="up">up</option>
            <option value="down">down</option>
            <option value="full">full</option>
          </select>
        </label>
      ))}
    </fieldset>
  );
}
