import { useMutation } from "@tanstack/react-query";
import { Square } from "lucide-react";
import { api, type Try, type TryAsk, take } from "@/api/client";
import { outcomeOf } from "@/features/calls/outcome";
import { Explanation } from "@/features/trail/Explanation";
import { TrySound } from "@/features/trail/Sound";
import { Trail } from "@/features/trail/Trail";
import { seconds } from "@/lib/time";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { WayOut } from "./WayOut";

export function Outcome({ tried, ask }: { tried: Try; ask?: TryAsk }) {
  return (
    <div className="flex flex-col gap-4" aria-live="polite">
      <div className="flex flex-wrap items-center gap-4">
        <h2 className="text-title font-semibold">
          {tried.mode === "dry" ? "Dry run" : `Live call from ${tried.from}`}
        </h2>
        <Verdict tried={tried} />
        {tried.call && <Facts call={tried.call} />}
        {tried.mode === "live" && tried.state === "running" && <HangUp id={tried.id} />}
      </div>
      {tried.state === "not-placed" && <Failure error={new Error(`Not placed: ${tried.why}`)} />}
      {tried.state !== "not-placed" && tried.why && <Failure error={new Error(tried.why)} />}
      {tried.media && <TrySound sound={tried.media} />}
      {tried.events.length > 0 && <CallerSide tried={tried} />}
      {ask && <WayOut tried={tried} ask={ask} />}
      {tried.result && <Trail steps={tried.result.steps} wide />}
      {tried.call && <Explanation call={tried.call} />}
    </div>
  );
}

export function Verdict({ tried }: { tried: Try }) {
  if (tried.state === "not-placed") return <StateMark tone="bad" word="not placed" />;
  const result = tried.result ?? tried.call?.result;
  if (!result?.outcome) return <StateMark tone="soft" word="in progress" />;
  const { outcome, cause } = result;
  const ended = tried.state === "running" ? undefined : tried.call;
  const { tone, word } = outcomeOf({
    ...ended,
    outcome,
    sip: cause.sip,
    q850: cause.q850,
  });
  const talking = tried.state === "running" && outcome === "answered" ? ", connected" : "";
  return <StateMark tone={tone} word={word + talking} />;
}

/** The figures of a call that was placed. */
export function Facts({ call }: { call: NonNullable<Try["call"]> }) {
  const facts = [
    call.postDialDelayMs && ["Post-dial delay", seconds(call.postDialDelayMs)],
    call.ringMs && ["Ringing", seconds(call.ringMs)],
    call.codec && ["Codec", call.codec],
    call.releasedBy && [
      "Released by",
      call.releasedBy === "switch" ? call.release : `${call.releasedBy} party`,
    ],
  ].filter((f) => Array.isArray(f));
  return facts.map(([name, value]) => (
    <span key={name}>
      <span className="text-dense text-soft">{name}</span> {value}
    </span>
  ));
}

function HangUp({ id }: { id: string }) {
  const hangUp = useMutation({
    mutationFn: () => take(api.DELETE("/api/test-calls/{id}", { params: { path: { id } } })),
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
    <p className="text-dense text-soft">
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
