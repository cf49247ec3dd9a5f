import { useState } from "react";
import type { GuideOutbound, GuideProposal, Plan } from "@/api/client";
import { PatternEffectView } from "@/features/routing/PatternEffectView";
import { shortStep, thenText } from "@/parts/steps";
import { Button } from "@/ui/controls";
import { StateMark } from "@/ui/StateMark";

interface Props {
  proposal: GuideProposal;
  plan: Plan;
  findings: GuideOutbound["findings"];
  taken: boolean;
  onToggle: () => void;
}

/** One proposed rule: its pattern, what stands in its place, and what it would do. */
export function ProposalRow({ proposal: p, plan, findings, taken, onToggle }: Props) {
  const [open, setOpen] = useState(false);
  const then = thenText(p.rule.then, plan);
  return (
    <>
      <tr className={`align-top ${taken ? "" : "bg-sunk"}`}>
        <td className="py-1">
          <input
            type="checkbox"
            checked={taken}
            disabled={p.present !== undefined}
            onChange={onToggle}
            aria-label={`Add ${p.rule.name}`}
          />
        </td>
        <td className="max-w-0 py-1 pr-3">
          <div className="truncate font-mono text-body" title={p.rule.match.called}>
            {p.rule.match.called || <span className="font-sans italic">any number</span>}
          </div>
        </td>
        <td className="py-1 pr-3">
          <Standing proposal={p} />
          {findings.map((f) => (
            <div key={f.kind + f.text}>
              <StateMark tone={f.grave ? "bad" : "draft"} word={f.text} wrap />
            </div>
          ))}
        </td>
        <td className="py-1">
          <div className="flex items-start gap-2">
            <div className="flex min-w-0 grow flex-wrap items-baseline gap-x-2">
              <span className="font-semibold">{p.rule.name}</span>
              <span>
                <span className="text-soft">{then.word}</span> {then.name}
              </span>
            </div>
            <Button
              look="bare"
              className="-my-1 h-7 shrink-0 px-2 text-dense"
              aria-expanded={open}
              aria-label={`Details of ${p.rule.name}`}
              onClick={() => setOpen(!open)}
            >
              details
            </Button>
          </div>
        </td>
      </tr>
      {open && (
        <tr>
          <td />
          <td colSpan={3} className="pb-2">
            <Details proposal={p} plan={plan} />
          </td>
        </tr>
      )}
    </>
  );
}

/** Why the rule is proposed, its steps, and what its pattern matches. */
function Details({
  proposal: { rule, table, why, class: numbers },
  plan,
}: {
  proposal: GuideProposal;
  plan: Plan;
}) {
  const steps = [...(rule.calledSteps ?? []), ...(rule.callerSteps ?? [])];
  return (
    <div className="flex max-w-2xl flex-col gap-1">
      <p>{[numbers, why].filter(Boolean).join(": ")}</p>
      <p className="flex flex-wrap items-baseline gap-2">
        <span className="text-soft">in table</span>{" "}
        {plan.tables.find((t) => t.id === table)?.name ?? `${table}, new`}
        {steps.map((s) => (
          <span key={JSON.stringify(s)} className="rounded-[3px] border border-edge bg-sheet px-2 font-mono">
            {shortStep(s)}
          </span>
        ))}
      </p>
      {rule.match.called && <PatternEffectView pattern={rule.match.called} />}
    </div>
  );
}

/** How the rule stands to those that are there. */
function Standing({ proposal: { covered, present } }: { proposal: GuideProposal }) {
  if (present === "same") return <span className="text-soft">in the draft already</span>;
  if (present === "differs")
    return <StateMark tone="draft" word="the draft has this rule with other settings" wrap />;
  if (covered) return <span className="text-soft">{covered} takes these already</span>;
  return <span className="text-soft">new rule</span>;
}
