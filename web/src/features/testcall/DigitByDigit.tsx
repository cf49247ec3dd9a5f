import { useMutation } from "@tanstack/react-query";
import { Delete, PhoneCall } from "lucide-react";
import { useEffect, useRef } from "react";
import { Link } from "react-router";
import type { Collection, TryAsk } from "@/api/client";
import { startTry, useCollection, useTry } from "@/api/queries";
import { Button, Kbd } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";
import { NumberTiles } from "@/ui/Tiles";
import type { FormProps } from "./AskForm";
import { DigitTimer } from "./DigitTimer";
import { KeyHistory } from "./KeyHistory";
import { SourceFields } from "./SourceFields";
import { Outcome } from "./TestResult";

const keys = ["1", "2", "3", "4", "5", "6", "7", "8", "9", "*", "0", "#"];

/** How long after each other the keys of a live call are pressed, in milliseconds. */
const pause = 300;

/** Which keys are digits, on the keyboard as on the pad. */
const isDigit = (key: string) => /^[0-9*#+]$/.test(key);

const stages: Record<Collection["stage"], { tone: Tone; word: string }> = {
  empty: { tone: "soft", word: "waiting for the first digit" },
  partial: { tone: "draft", word: "more digits needed" },
  waiting: { tone: "draft", word: "complete, waiting for more digits" },
  complete: { tone: "good", word: "routed at once" },
  impossible: { tone: "bad", word: "no matching rule" },
};

/** Digits as they are pressed: after each key what is still in the running, and what the switch waits for. */
export function DigitByDigit({ ask, set }: { ask: TryAsk; set: FormProps["set"] }) {
  const typed = ask.called.replaceAll(" ", "");
  const { plan, from, caller, simulate } = ask;
  const collect = { plan, from, caller, time: simulate?.time };
  const so = useCollection({ ...collect, typed });
  const pad = useRef<HTMLDivElement>(null);
  useEffect(() => pad.current?.focus(), []);
  const live = useMutation({ mutationFn: startTry });
  const running = useTry(live.data);
  const called = live.data?.id ? (running.data ?? live.data) : live.data;
  const press = (key: string) => set("dial", typed + key);
  return (
    <div className="grid flex-1 grid-cols-[17rem_minmax(0,1fr)] gap-6 p-4">
      <div className="flex flex-col gap-3">
        <SourceFields ask={ask} set={set} />
        {/* biome-ignore lint/a11y/useSemanticElements: a pad that takes the keys of the keyboard too */}
        <div
          ref={pad}
          role="group"
          aria-label="Keypad; the keys of the keyboard work too"
          // biome-ignore lint/a11y/noNoninteractiveTabindex: it takes the keyboard's digits
          tabIndex={0}
          className="rounded-[4px] border border-line bg-sheet p-3"
          onKeyDown={(e) => {
            if (e.ctrlKey || e.altKey || e.metaKey) return;
            if (isDigit(e.key)) {
              e.stopPropagation();
              e.nativeEvent.stopImmediatePropagation();
              press(e.key);
            }
            if (e.key === "Backspace") set("dial", typed.slice(0, -1));
            if (e.key === "Escape") set("dial", "");
          }}
        >
          <div className="mb-3 flex min-h-9 items-center gap-2 overflow-x-auto">
            <NumberTiles number={typed} />
            {typed !== "" && (
              <Button
                look="bare"
                className="ml-auto h-7 px-2"
                onClick={() => set("dial", typed.slice(0, -1))}
                aria-label="Delete last digit"
              >
                <Delete className="size-4" />
              </Button>
            )}
          </div>
          <div className="grid grid-cols-3 gap-1">
            {keys.map((k) => (
              <Button key={k} className="h-8 font-mono" onClick={() => press(k)}>
                {k}
              </Button>
            ))}
          </div>
          <Button
            look="main"
            className="mt-3 w-full"
            disabled={typed === "" || live.isPending}
            onClick={() =>
              live.mutate({
                mode: "live",
                plan: "live",
                from: ask.from,
                called: typed,
                digitIntervalMs: pause,
              })
            }
          >
            <PhoneCall className="size-4" aria-hidden="true" /> Call live, key by key
          </Button>
          <p className="mt-2 text-dense text-soft">
            <Kbd>0</Kbd>–<Kbd>9</Kbd> press, <Kbd>Backspace</Kbd> deletes, <Kbd>Esc</Kbd> hangs up
          </p>
        </div>
      </div>
      <div aria-live="polite">
        {so.isError ? <Failure error={so.error} /> : so.data && <Stage so={so.data} />}
        {typed !== "" && <KeyHistory ask={collect} typed={typed} />}
        {live.isError && <Failure error={live.error} />}
        {called && (
          <div className="mt-6 border-t-2 border-line pt-3">
            <Outcome tried={called} />
          </div>
        )}
      </div>
    </div>
  );
}

function Stage({ so }: { so: Collection }) {
  const stage = stages[so.stage];
  return (
    <div className="flex flex-col gap-3">
      <div>
        <h2 className="text-title">
          <StateMark tone={stage.tone} word={stage.word} />
          {so.ms > 0 && <DigitTimer key={so.typed} name={so.timer ?? ""} ms={so.ms} />}
        </h2>
        {so.why !== stage.word && <p className="mt-1">{so.why}.</p>}
        {so.longer && so.stage !== "empty" && (
          <p className="mt-1 flex flex-wrap items-center gap-2 text-body">
            <span className="text-soft">shortest longer number</span>
            <NumberTiles number={so.longer} size="sm" />
            {so.other && <span className="text-soft">taken by {so.other.name}</span>}
          </p>
        )}
      </div>
      {so.tables.map((t) => (
        <section key={t.table.id} aria-label={`Table ${t.table.name}`}>
          <h3 className="flex items-center gap-3 border-b-2 border-line pb-1">
            <Link to={`/routing/${t.table.id}`} className="font-semibold underline-offset-2 hover:underline">
              {t.table.name}
            </Link>
            <NumberTiles number={t.called.number} size="sm" />
            <span className="text-dense text-soft">{t.called.format.replace("-", " ")}</span>
          </h3>
          {t.rules.length === 0 && <p className="py-1 text-soft">no rule left</p>}
          <ul>
            {t.rules.map((r) => (
              <li
                key={r.rule.id}
                className={`grid grid-cols-[minmax(0,16rem)_minmax(0,1fr)_16rem] items-baseline gap-3 border-b border-line py-1 ${r.matched ? "bg-good-wash" : ""}`}
              >
                <Link
                  to={`/routing/${t.table.id}/${r.rule.id}`}
                  className="truncate pl-2 underline-offset-2 hover:underline"
                >
                  {r.rule.name}
                </Link>
                <span className="truncate font-mono text-body">
                  {r.pattern || <span className="font-sans text-soft italic">any number</span>}
                </span>
                <span className="text-dense">
                  {r.catchAll ? (
                    <span className="text-soft">catch-all</span>
                  ) : r.matched ? (
                    <StateMark tone="good" word={r.goesOn ? "matches; longer too" : "matches"} />
                  ) : r.matches ? (
                    <span className="text-soft">matches, preceded</span>
                  ) : (
                    <StateMark tone="soft" word="more digits needed" />
                  )}
                </span>
              </li>
            ))}
          </ul>
          {t.more > 0 && <p className="text-dense text-soft">and {t.more} more</p>}
        </section>
      ))}
    </div>
  );
}
