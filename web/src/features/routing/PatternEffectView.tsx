import { useId, useState } from "react";
import type { PatternEffect } from "@/api/client";
import { usePattern } from "@/api/queries";
import { inputLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";
import { NumberTiles } from "@/ui/Tiles";

interface Props {
  pattern: string;
  /** The number that is held against the pattern, where the form around it has one for all; else the view keeps one. */
  sample?: string;
  onSample?: (number: string) => void;
}

/** What a typed pattern matches: sample numbers, lengths, and a number to try. */
export function PatternEffectView({ pattern, ...held }: Props) {
  const [own, setOwn] = useState("");
  const id = useId();
  const sample = held.sample ?? own;
  const onSample = held.onSample ?? setOwn;
  const effect = usePattern(pattern, sample ? [sample] : []);
  if (pattern === "") return null;
  if (effect.isError) return <Failure error={effect.error} />;
  if (!effect.data) return null;
  if (effect.data.reason) return <PatternFault pattern={pattern} effect={effect.data} />;
  return (
    <div className="border-l-4 border-road-wash pl-3 text-dense">
      <div className="flex flex-wrap items-center gap-2">
        <span className="text-soft">matches</span>
        {effect.data.samples.slice(0, 5).map((s) => (
          <button
            key={s}
            type="button"
            onClick={() => onSample(s)}
            title="Run this number through the steps"
            className="rounded-[3px]"
          >
            <NumberTiles number={s} size="sm" />
          </button>
        ))}
      </div>
      {effect.data.nearMisses.length > 0 && (
        <div className="mt-1 flex flex-wrap items-center gap-2">
          <span className="text-soft">near misses</span>
          {effect.data.nearMisses.map((s) => (
            <span key={s} className="opacity-80">
              <NumberTiles number={s} size="sm" />
            </span>
          ))}
        </div>
      )}
      <div className="mt-1 text-soft">{lengths(effect.data)}</div>
      {effect.data.shortest && (
        <div className="text-soft">
          the same, shorter: <code className="font-mono text-ink">{effect.data.shortest}</code>
        </div>
      )}
      {effect.data.matchesEmpty && <StateMark tone="warn" word="also matches the empty number" />}
      {held.onSample ? (
        sample !== "" && (
          <div className="mt-1 flex flex-wrap items-center gap-2">
            <span className="text-soft">sample</span> <NumberTiles number={sample} size="sm" />
            <VerdictMark effect={effect.data} />
          </div>
        )
      ) : (
        <div className="mt-1 grid grid-cols-[auto_9.5rem_1fr] items-center gap-2">
          <label htmlFor={id} className="text-soft">
            sample
          </label>
          <input
            id={id}
            className={`${inputLook} h-7 font-mono`}
            value={sample}
            onChange={(e) => onSample(e.target.value)}
          />
          <VerdictMark effect={effect.data} />
        </div>
      )}
    </div>
  );
}

/** Where the pattern is wrong: the place is marked below it. */
function PatternFault({ pattern, effect }: { pattern: string; effect: PatternEffect }) {
  return (
    <div role="alert" className="text-dense text-bad">
      <div className="font-mono text-title leading-tight">
        {pattern.slice(0, effect.position - 1)}
        <mark className="bg-bad-wash text-bad underline decoration-wavy">
          {pattern[effect.position - 1] ?? "␣"}
        </mark>
        {pattern.slice(effect.position)}
      </div>
      position {effect.position}: {effect.reason}
    </div>
  );
}

const verdicts: Record<string, { tone: Tone; word: string }> = {
  none: { tone: "bad", word: "does not match" },
  partial: { tone: "warn", word: "incomplete" },
  complete: { tone: "good", word: "matches" },
  "complete-may-continue": { tone: "good", word: "matches, longer numbers too" },
  invalid: { tone: "bad", word: "not a number" },
};

function VerdictMark({ effect }: { effect: PatternEffect }) {
  const v = effect.verdicts[0];
  if (!v) return null;
  const shown = v.waits ? { tone: "good" as const, word: "matches at timer expiry" } : verdicts[v.state];
  return shown ? <StateMark {...shown} title={v.reason} /> : null;
}

/** How many numbers of which lengths match, in words. */
export function lengths(effect: PatternEffect): string {
  const list = effect.lengths;
  if (list.length === 0) return "no number matches";
  if (list.length > 4) return `${list[0]?.length} to ${list.at(-1)?.length} digits`;
  return list
    .map(
      (l) =>
        `${Number(l.count).toLocaleString("en-GB")} of ${l.length} ${l.length === 1 ? "digit" : "digits"}`,
    )
    .join(", ");
}
