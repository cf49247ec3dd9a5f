import { useMutation } from "@tanstack/react-query";
import { PhoneCall, Route as RouteIcon, Square } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, Problem, type Try, type TryAsk, take } from "@/api/client";
import { startTry, useNetwork, useSources, useTry } from "@/api/queries";
import { Explanation } from "@/features/trail/Explanation";
import { TrySound } from "@/features/trail/Sound";
import { Trail } from "@/features/trail/Trail";
import { lastDialled } from "@/lib/lastDialled";
import { Button, Field, inputLook, Kbd } from "@/ui/controls";
import { Empty, Failure } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";

/**
 * Try: place a call, dry or live, and see what becomes of it. What is asked
 * stands in the address, so that a try can be repeated and passed on.
 */
export function TryView() {
  const { ask, change } = useAsk();
  const set = (field: string, value: string) =>
    change((p) => (value === "" ? p.delete(field) : p.set(field, value)));
  const start = useMutation({ mutationFn: startTry });
  const running = useTry(start.data?.mode === "live" ? start.data : undefined);
  const shown: Try | undefined =
    start.data?.mode === "live" && start.data.id ? (running.data ?? start.data) : start.data;
  const run = (mode: TryAsk["mode"]) => {
    lastDialled.set(ask.dial);
    start.mutate({ ...ask, mode });
  };
  return (
    <div className="flex min-h-full flex-col">
      <AskForm ask={ask} set={set} change={change} run={run} busy={start.isPending} error={start.error} />
      <div className="flex-1 p-4">
        {start.isError && !fieldErrors(start.error) && <Failure error={start.error} />}
        {shown ? <Outcome tried={shown} /> : <NothingTried set={set} />}
      </div>
    </div>
  );
}

/**
 * What is asked. It is held here and written to the address behind it: a router
 * changes the address when it finds time, and an Enter that follows the last key
 * at once must not place the call of the key before.
 */
function useAsk() {
  const [params, setParams] = useSearchParams();
  const [held, setHeld] = useState(params);
  const latest = useRef(held);
  const change = (edit: (p: URLSearchParams) => void) => {
    const next = new URLSearchParams(latest.current);
    edit(next);
    latest.current = next;
    setHeld(next);
    setParams(next, { replace: true });
  };
  return { ask: readAsk(held), change };
}

function readAsk(params: URLSearchParams): TryAsk {
  return {
    mode: "dry",
    plan: params.get("plan") === "draft" ? "draft" : "live",
    from: params.get("from") ?? "2001",
    dial: params.get("dial") ?? "",
    caller: params.get("caller") || undefined,
    down: params.getAll("down"),
  };
}

function fieldErrors(error: unknown): boolean {
  return error instanceof Problem && ["body.from", "body.dial"].some((f) => error.at(f) !== undefined);
}

interface FormProps {
  ask: TryAsk;
  set: (field: string, value: string) => void;
  change: (edit: (p: URLSearchParams) => void) => void;
  run: (mode: TryAsk["mode"]) => void;
  busy: boolean;
  error: unknown;
}

function AskForm({ ask, set, change, run, busy, error }: FormProps) {
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
              onChange={(e) => set("from", e.target.value)}
              required
            />
          )}
        </Field>
        <datalist id="sources">
          {sources.data?.map((s) => (
            <option key={s.id} value={s.kind === "trunk" ? s.id : undefined} label={s.label} />
          ))}
        </datalist>
        <Field label="Dial" hint="as on the keys, such as 9 0191 498 0850" error={at("dial")}>
          {(p) => (
            <input
              {...p}
              ref={dial}
              className={`${inputLook} font-mono text-[16px]`}
              value={ask.dial}
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
              value={ask.plan}
              onChange={(e) => set("plan", e.target.value)}
            >
              <option value="live">live plan</option>
              <option value="draft">draft</option>
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
      <Supposed down={ask.down ?? []} change={change} />
    </form>
  );
}

/** Dry: which trunks are supposed to be down. */
function Supposed({ down, change }: { down: string[]; change: FormProps["change"] }) {
  const network = useNetwork();
  const toggle = (id: string, on: boolean) =>
    change((p) => {
      p.delete("down", id);
      if (on) p.append("down", id);
    });
  return (
    <fieldset className="mt-2 flex flex-wrap gap-4 text-[13px]">
      <legend className="float-left mr-4 text-soft">Dry: suppose down</legend>
      {network.data?.trunks.map((t) => (
        <label key={t.id} className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={down.includes(t.id)}
            onChange={(e) => toggle(t.id, e.target.checked)}
          />{" "}
          {t.name}
        </label>
      ))}
    </fieldset>
  );
}

function NothingTried({ set }: { set: FormProps["set"] }) {
  return (
    <Empty action={<Button onClick={() => set("dial", "9 0191 498 0850")}>Fill in 9 0191 498 0850</Button>}>
      Dial a number to see what becomes of it: dry, decided and explained without sending anything; or live,
      as a real SIP call that begins at the stand-in of the calling far end.
    </Empty>
  );
}

function Outcome({ tried }: { tried: Try }) {
  return (
    <div className="flex flex-col gap-4" aria-live="polite">
      <div className="flex flex-wrap items-center gap-4">
        <h2 className="text-lg font-semibold">
          {tried.mode === "dry" ? "Dry try" : `Live call from ${tried.from}`}
        </h2>
        <Verdict tried={tried} />
        {tried.mode === "live" && tried.state === "running" && <HangUp id={tried.id} />}
      </div>
      {tried.state === "not-placed" && (
        <Failure error={new Error(`The call failed at its first step: ${tried.why}`)} />
      )}
      {tried.state !== "not-placed" && tried.why && <Failure error={new Error(tried.why)} />}
      {tried.sound && <TrySound sound={tried.sound} />}
      {tried.events.length > 0 && <CallerSide tried={tried} />}
      {tried.result && <Trail steps={tried.result.steps} />}
      {tried.call && <Explanation call={tried.call} />}
    </div>
  );
}

const tones: Record<string, Tone> = { answered: "good", refused: "bad", failed: "bad", abandoned: "draft" };

function Verdict({ tried }: { tried: Try }) {
  if (tried.state === "not-placed") return <StateMark tone="bad" word="never left" />;
  const result = tried.result ?? tried.call?.result;
  if (!result?.outcome) return <StateMark tone="soft" word="on its way" />;
  const { outcome, cause } = result;
  const code = outcome === "answered" ? "" : `: ${cause.sip}, cause ${cause.q850}`;
  const talking = tried.state === "running" && outcome === "answered" ? ", talking" : "";
  return <StateMark tone={tones[outcome] ?? "soft"} word={`${outcome}${code}${talking}`} />;
}

function HangUp({ id }: { id: string }) {
  const hangUp = useMutation({
    mutationFn: () => take(api.DELETE("/api/tries/{id}", { params: { path: { id } } })),
  });
  return (
    <Button look="danger" onClick={() => hangUp.mutate()} disabled={hangUp.isPending}>
      <Square className="size-3.5" aria-hidden="true" /> Hang up
    </Button>
  );
}

/** What the caller's side saw: the stand-in's own account. */
function CallerSide({ tried }: { tried: Try }) {
  return (
    <p className="text-[13px] text-soft">
      {tried.from} saw:{" "}
      {tried.events.map((e, i) => (
        <span key={`${e.millis}-${e.what}`}>
          {i > 0 && ", "}
          <span className="text-ink">{e.what}</span> <span className="font-mono">{e.millis} ms</span>
        </span>
      ))}
    </p>
  );
}
