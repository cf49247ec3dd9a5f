import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useSearchParams } from "react-router";
import type { Try, TryAsk } from "@/api/client";
import { startTry, useSources, useTry } from "@/api/queries";
import { lastDialled } from "@/lib/lastDialled";
import { Empty, Failure } from "@/ui/feedback";
import { AskForm, type FormProps, fieldErrors } from "./AskForm";
import { readAsk } from "./ask";
import { Comparison } from "./Comparison";
import { DigitByDigit } from "./DigitByDigit";
import { KeepCheck } from "./KeepCheck";
import { NumberList } from "./NumberList";
import { Outcome } from "./TestResult";

/** The ways of trying. */
const ways = [
  { id: "number", word: "A number" },
  { id: "digits", word: "Digit by digit" },
  { id: "list", word: "A list of numbers" },
] as const;

/**
 * Try: place a call, dry or live, and see what becomes of it. What is asked
 * stands in the address, so that a try can be repeated and passed on.
 */
export function TestCallView() {
  const { ask, way, both, change } = useAsk();
  const set = (field: string, value: string) =>
    change((p) => (value === "" ? p.delete(field) : p.set(field, value)));
  return (
    <div className="flex min-h-full flex-col">
      <div
        role="tablist"
        aria-label="How to try"
        className="flex gap-1 border-b border-line bg-sunk px-4 pt-1"
      >
        {ways.map((w) => (
          <button
            key={w.id}
            type="button"
            role="tab"
            aria-selected={way === w.id}
            onClick={() => set("how", w.id === "number" ? "" : w.id)}
            className="border-b-[3px] border-transparent px-3 py-1 aria-selected:border-road aria-selected:font-semibold"
          >
            {w.word}
          </button>
        ))}
      </div>
      {way === "number" && <OneNumber ask={ask} both={both} set={set} change={change} />}
      {way === "digits" && <DigitByDigit ask={ask} set={set} />}
      {way === "list" && <NumberList ask={ask} set={set} change={change} />}
    </div>
  );
}

interface WayProps {
  ask: TryAsk;
  both: boolean;
  set: FormProps["set"];
  change: FormProps["change"];
}

function OneNumber({ ask: given, both, set, change }: WayProps) {
  // Until somebody has been in its field a call begins at the first source that there is; then
  // nothing is put there any more, under the hands of who types.
  const [entered, setEntered] = useState(given.from !== "");
  const first = useSources().data?.[0]?.from ?? "";
  const ask = entered ? given : { ...given, from: given.from || first };
  const put: FormProps["set"] = (field, value) => {
    if (field === "from") setEntered(true);
    set(field, value);
  };
  const start = useMutation({ mutationFn: startTry });
  const beside = useMutation({ mutationFn: startTry });
  const running = useTry(start.data?.mode === "live" ? start.data : undefined);
  const shown: Try | undefined =
    start.data?.mode === "live" && start.data.id ? (running.data ?? start.data) : start.data;
  const result = shown?.state === "running" ? undefined : (shown?.result ?? shown?.call?.result);
  const run = (mode: TryAsk["mode"]) => {
    lastDialled.set(ask.called);
    if (ask.from !== given.from) put("from", ask.from);
    start.mutate({ ...ask, mode, ...(both && { plan: "live" as const }) });
    if (both && mode === "dry") beside.mutate({ ...ask, mode, plan: "draft" });
    else beside.reset();
  };
  return (
    <>
      <AskForm
        ask={ask}
        both={both}
        set={put}
        change={change}
        run={run}
        busy={start.isPending}
        error={start.error}
      />
      <div className="flex-1 p-4">
        {start.isError && !fieldErrors(start.error) && <Failure error={start.error} />}
        {beside.isError && <Failure error={beside.error} />}
        {shown?.result && beside.data?.result ? (
          <Comparison live={shown.result} draft={beside.data.result} />
        ) : shown ? (
          <>
            {result && <KeepCheck ask={ask} result={result} />}
            <Outcome tried={shown} ask={ask} />
          </>
        ) : (
          <NothingTried />
        )}
      </div>
    </>
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
  const how = held.get("how");
  return {
    ask: readAsk(held),
    way: ways.find((w) => w.id === how)?.id ?? "number",
    both: held.get("plan") === "both",
    change,
  };
}

function NothingTried() {
  return (
    <Empty>
      A dry run decides and explains a call without sending it. A live call uses the trunks; it starts at the
      stand-in of the source, or in the switch.
    </Empty>
  );
}
