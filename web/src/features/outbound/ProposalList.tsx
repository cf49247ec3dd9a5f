import { useState } from "react";
import type { GuideOutbound, GuideProposal, Plan } from "@/api/client";
import { PatternEffectView } from "@/features/routing/PatternEffectView";
import { shortStep, thenText } from "@/parts/steps";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { ExampleCalls } from "./ExampleCalls";

interface Props {
  plan: Plan;
  proposed: GuideOutbound;
  busy: boolean;
  error: unknown;
  onTake: (rules: GuideProposal[]) => void;
}

/** Proposed rules in their order: each is looked at, and taken or left. */
export function ProposalList({ plan, proposed, busy, error, onTake }: Props) {
  const list = proposed.proposals;
  // What is there already is left, unless somebody takes it.
  const [left, setLeft] = useState(() => new Set(list.filter((p) => p.covered).map((p) => p.rule.id)));
  const [open, setOpen] = useState<string>();
  const taken = list.filter((p) => !left.has(p.rule.id));
  const toggle = (id: string) =>
    setLeft((l) => {
      const next = new Set(l);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  return (
    <>
      <header className="mb-2 flex items-center gap-4">
        <h2 className="text-title font-semibold">{list.length} rules proposed</h2>
        <span className="text-soft">in match order, after the existing rules</span>
        <Button
          look="main"
          className="ml-auto"
          disabled={busy || taken.length === 0}
          onClick={() => onTake(taken)}
        >
          Take {taken.length} into the draft
        </Button>
      </header>
      {error !== null && <Failure error={error} />}
      <ExampleCalls proposed={proposed} />
      <ol className="border-t-2 border-line">
        {list.map((p) => {
          const then = thenText(p.rule.then, plan);
          const opened = open === p.rule.id;
          return (
            <li
              key={p.rule.id}
              className={`border-b border-line py-2 ${left.has(p.rule.id) ? "bg-sunk" : ""}`}
            >
              <div className="grid grid-cols-[1.5rem_minmax(0,1fr)_auto] items-start gap-3">
                <input
                  type="checkbox"
                  className="mt-1"
                  checked={!left.has(p.rule.id)}
                  onChange={() => toggle(p.rule.id)}
                  aria-label={`Take ${p.rule.name}`}
                />
                <div className="min-w-0">
                  <div className="flex flex-wrap items-baseline gap-x-3">
                    <span className="line-clamp-3 font-mono text-body break-all" title={p.rule.match.called}>
                      {p.rule.match.called || <span className="font-sans italic">any number</span>}
                    </span>
                    <span className="font-semibold">{p.rule.name}</span>
                    {p.class && <span className="text-dense text-soft">{p.class}</span>}
                    {p.covered && <StateMark tone="draft" word={`${p.covered} takes these already`} />}
                  </div>
                  {proposed.findings
                    .filter((f) => f.rule === p.rule.id)
                    .map((f) => (
                      <div key={f.kind + f.text}>
                        <StateMark tone={f.grave ? "bad" : "draft"} word={f.text} wrap />
                      </div>
                    ))}
                  <div className="flex flex-wrap gap-x-2 text-dense">
                    {[...(p.rule.calledSteps ?? []), ...(p.rule.callerSteps ?? [])].map((s) => (
                      <span
                        key={JSON.stringify(s)}
                        className="rounded-[3px] border border-edge bg-sheet px-2 font-mono"
                      >
                        {shortStep(s)}
                      </span>
                    ))}
                    <span>
                      <span className="text-soft">{then.word}</span>{" "}
                      <span className="font-semibold">{then.name}</span>
                    </span>
                    <span className="text-soft">in table {tableName(plan, p.table)}</span>
                  </div>
                  <p className="text-dense text-soft">{p.why}</p>
                </div>
                <Button
                  look="bare"
                  className="h-7 px-2 text-dense"
                  aria-expanded={opened}
                  onClick={() => setOpen(opened ? undefined : p.rule.id)}
                >
                  numbers
                </Button>
              </div>
              {opened && (
                <div className="mt-1 ml-9 max-w-xl">
                  <PatternEffectView pattern={p.rule.match.called ?? ""} />
                </div>
              )}
            </li>
          );
        })}
      </ol>
    </>
  );
}

const tableName = (plan: Plan, id: string) =>
  plan.tables.find((t) => t.id === id)?.name ?? `${id}, a new one`;
