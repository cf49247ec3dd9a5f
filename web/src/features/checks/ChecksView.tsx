import { Play, Plus, Trash2 } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { api, type CheckState, take } from "@/api/client";
import { deleteObject, useChecks, useDraftEdit, useZone } from "@/api/queries";
import { lookOf } from "@/features/trying/ask";
import { dayAndClock } from "@/lib/time";
import { Button, smallLook } from "@/ui/controls";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";
import { VirtualList } from "@/ui/VirtualList";

const states: Record<CheckState["state"], { tone: Tone; word: string }> = {
  passed: { tone: "good", word: "passed" },
  failed: { tone: "bad", word: "failed" },
  stale: { tone: "draft", word: "not run since change" },
};

/** The kept test calls of the draft: which pass, which fail, and which must run again. */
export function ChecksView() {
  const checks = useChecks();
  const [search, setSearch] = useState("");
  const [only, setOnly] = useState<CheckState["state"]>();
  const [scrolled, setScrolled] = useState<HTMLElement | null>(null);
  const run = useDraftEdit((ids: string[]) => take(api.POST("/api/checks/run", { body: { ids } })));
  if (checks.isPending) return <Loading what="the checks" />;
  if (!checks.data) return <Failure error={checks.error} retry={() => checks.refetch()} />;
  const { passed, failed, stale: notProven } = checks.data;
  const words = search.toLowerCase().split(/\s+/);
  const shown = checks.data.checks.filter(
    (c) =>
      (!only || c.state === only) &&
      words.every((w) => `${c.check.name} ${c.check.from} ${c.check.called}`.toLowerCase().includes(w)),
  );
  return (
    <section ref={setScrolled} className="h-full overflow-auto" aria-label="Checks">
      <header className="sticky top-0 z-10 flex flex-wrap items-center gap-3 border-b border-line bg-sunk px-4 py-2">
        <h1 className="font-semibold">Checks</h1>
        {(
          [
            ["passed", passed],
            ["failed", failed],
            ["stale", notProven],
          ] as const
        ).map(([state, n]) => (
          <button
            key={state}
            type="button"
            aria-pressed={only === state}
            onClick={() => setOnly(only === state ? undefined : state)}
            className="rounded-[3px] border border-transparent px-1.5 hover:border-line aria-pressed:border-road"
          >
            <StateMark tone={n > 0 ? states[state].tone : "soft"} word={`${n} ${states[state].word}`} />
          </button>
        ))}
        <input
          type="search"
          className={`${smallLook} w-52 px-2`}
          value={search}
          onChange={(e) => setSearch(e.target.value)}
          placeholder="Find by name or number"
          aria-label="Find by name or number"
        />
        <span className="ml-auto flex gap-2">
          <Link
            to="/try"
            className="inline-flex h-8 items-center gap-1 text-road underline-offset-2 hover:underline"
            title="Place a test call, then keep it"
          >
            <Plus className="size-4" aria-hidden="true" /> Add by test call
          </Link>
          <Button
            onClick={() => run.mutate(shown.filter((c) => c.state !== "passed").map((c) => c.check.id))}
            disabled={run.isPending || shown.every((c) => c.state === "passed")}
          >
            Run changed
          </Button>
          <Button look="main" onClick={() => run.mutate([])} disabled={run.isPending}>
            <Play className="size-4" aria-hidden="true" /> {run.isPending ? "Running …" : "Run all"}
          </Button>
        </span>
      </header>
      {run.isError && (
        <div className="p-3">
          <Failure error={run.error} />
        </div>
      )}
      {checks.data.checks.length === 0 ? (
        <Empty
          action={
            <Link to="/try" className="text-road underline">
              Place a test call
            </Link>
          }
        >
          No checks yet. Place a test call and keep it as a check.
        </Empty>
      ) : (
        <VirtualList items={shown} keyOf={(c) => c.check.id} scrolled={scrolled} height={58} label="Checks">
          {(c) => <CheckRow state={c} onRun={() => run.mutate([c.check.id])} busy={run.isPending} />}
        </VirtualList>
      )}
    </section>
  );
}

function CheckRow({ state, onRun, busy }: { state: CheckState; onRun: () => void; busy: boolean }) {
  const zone = useZone();
  const { check, differences, touched } = state;
  const remove = useDraftEdit(() => deleteObject("checks", check.id));
  const mark = states[state.state];
  return (
    <div className="grid grid-cols-[8rem_minmax(0,15rem)_minmax(0,17rem)_minmax(0,1fr)_auto] items-baseline gap-x-4 border-b border-line px-4 py-1.5">
      <StateMark
        tone={mark.tone}
        word={mark.word}
        title={state.ran ? `ran ${state.ran} by ${state.who}` : "never ran"}
      />
      <Link
        to={lookOf(check)}
        data-row
        className="truncate font-semibold underline-offset-2 hover:underline"
        title={check.note || check.name}
      >
        {check.name}
      </Link>
      <span className="min-w-0 truncate">
        <span className="font-mono">{check.from}</span> <span className="text-soft">dials</span>{" "}
        <span className="font-mono">{check.called || "nothing"}</span>
        <span className="block truncate text-[13px] text-soft">{supposed(check, zone())}</span>
      </span>
      <span className="min-w-0">
        <span className="block truncate">
          <span className="text-soft">expects</span> {check.expected.outcome}
          {check.expected.cause ? `, cause ${check.expected.cause}` : ""}
          {check.expected.trunkOut && (
            <>
              {" "}
              <span className="text-soft">by</span> {check.expected.trunkOut}
            </>
          )}{" "}
          <span className="font-mono text-[13px]">
            {check.expected.calledOut}
            {check.expected.callerOut && (
              <>
                <span className="font-sans text-soft"> from </span>
                {check.expected.callerOut}
              </>
            )}
          </span>
        </span>
        {state.state === "failed" &&
          differences.map((d) => (
            <span key={d.what} className="block text-[13px] text-bad">
              {d.what}: expected <span className="font-mono">{d.expected}</span>, actual{" "}
              <span className="font-mono">{d.actual || "none"}</span>
            </span>
          ))}
        {touched.length > 0 && (
          <span className="block truncate text-[13px] text-draft" title={touched.join(", ")}>
            changed since it ran: {touched.join(", ")}
          </span>
        )}
      </span>
      <span className="flex">
        <Button
          look="bare"
          className="h-7 px-1.5"
          onClick={onRun}
          disabled={busy}
          aria-label={`Run ${check.name}`}
        >
          <Play className="size-4" />
        </Button>
        <Button
          look="bare"
          className="h-7 px-1.5"
          onClick={() => remove.mutate(undefined)}
          disabled={remove.isPending}
          aria-label={`Delete ${check.name}`}
        >
          <Trash2 className="size-4" />
        </Button>
      </span>
    </div>
  );
}

/** Under which suppositions, in words. */
function supposed(c: CheckState["check"], zone?: string): string {
  const { time, overrides = {}, down = [], full = [] } = c.simulate ?? {};
  return [
    time && dayAndClock(time, zone),
    c.caller && `caller ${c.caller}`,
    ...Object.entries(overrides).map(([h, state]) => `${h} overridden to ${state}`),
    down.length > 0 && `down: ${down.join(", ")}`,
    full.length > 0 && `full: ${full.join(", ")}`,
  ]
    .filter(Boolean)
    .join("; ");
}
