import { useState } from "react";
import type { GuideOutbound, GuideProposal, Plan } from "@/api/client";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { changes, Example } from "./Example";
import { ProposalRow } from "./ProposalRow";

interface Props {
  plan: Plan;
  proposed: GuideOutbound;
  /** The rules left out; until somebody chooses, those that existing rules cover. */
  omit?: string[];
  onOmit: (omit: string[]) => void;
  busy: boolean;
  error: unknown;
  onTake: (rules: GuideProposal[]) => void;
}

/** Proposed rules beside what is there: each with the numbers that it takes, before and after. */
export function Proposals({ plan, proposed, omit, onOmit, busy, error, onTake }: Props) {
  const { proposals, findings, undecided } = proposed;
  const [all, setAll] = useState(false);
  const unchanged = proposed.examples.filter((e) => e.ok && !changes(e)).length;
  const examples = proposed.examples.filter((e) => all || !e.ok || changes(e));
  const addable = proposals.filter((p) => !p.present);
  const left = new Set(omit ?? addable.filter((p) => p.covered).map((p) => p.rule.id));
  const taken = addable.filter((p) => !left.has(p.rule.id));
  const toggle = (id: string) => onOmit(left.has(id) ? [...left].filter((x) => x !== id) : [...left, id]);
  const ofProposals = new Set(taken.map((p) => p.rule.id));
  const others = examples.filter((e) => !ofProposals.has(e.after.rule?.id ?? ""));
  const byOthers = [...new Set(others.map((e) => e.after.rule?.name))];
  return (
    <>
      <header className="mb-2 flex items-center gap-4">
        <h2 className="text-title font-semibold">{proposals.length} rules proposed</h2>
        <Summary proposed={proposed} />
        <Button
          look="main"
          className="ml-auto shrink-0"
          disabled={busy || taken.length === 0}
          onClick={() => onTake(taken)}
        >
          Add {taken.length} to the draft
        </Button>
      </header>
      {unchanged > 0 && (
        <label className="mb-2 flex items-center gap-2 text-dense">
          <input type="checkbox" checked={all} onChange={(e) => setAll(e.target.checked)} />
          {unchanged} example numbers without a change
        </label>
      )}
      {error !== null && <Failure error={error} />}
      {undecided && <StateMark tone="bad" word={`Example numbers not decided: ${undecided}`} wrap />}
      <table className="w-full border-collapse text-dense">
        <thead className="sticky -top-4 z-10 bg-paper text-left text-soft">
          <tr className="border-b-2 border-line">
            <th className="w-7 py-1" aria-label="Add" />
            <th className="w-[22%] font-normal">Pattern and example numbers</th>
            <th className="w-[36%] font-normal">Now</th>
            <th className="font-normal">With these rules</th>
          </tr>
        </thead>
        {byOthers.map((name) => (
          <tbody key={name ?? ""} className="border-b border-line">
            <tr>
              <td />
              <th colSpan={3} className="pt-2 text-left font-normal text-soft">
                {name ? (
                  <>
                    existing rule <span className="font-semibold text-ink">{name}</span>
                  </>
                ) : (
                  "numbers without a rule"
                )}
              </th>
            </tr>
            {others
              .filter((e) => e.after.rule?.name === name)
              .map((e) => (
                <Example key={e.dialled + e.world} example={e} />
              ))}
          </tbody>
        ))}
        {proposals.map((p) => (
          <tbody key={p.rule.id} className="border-b border-line">
            <ProposalRow
              proposal={p}
              plan={plan}
              findings={findings.filter((f) => f.rule === p.rule.id)}
              taken={ofProposals.has(p.rule.id)}
              onToggle={() => toggle(p.rule.id)}
            />
            {ofProposals.has(p.rule.id) &&
              examples
                .filter((e) => e.after.rule?.id === p.rule.id)
                .map((e) => <Example key={e.dialled + e.world} example={e} />)}
          </tbody>
        ))}
      </table>
    </>
  );
}

/** How much is new, and whether the example numbers are routed as asked. */
function Summary({ proposed: { proposals, examples } }: { proposed: GuideOutbound }) {
  const present = proposals.filter((p) => p.present).length;
  const covered = proposals.filter((p) => p.covered).length;
  const wrong = examples.filter((e) => !e.ok).length;
  const parts = [
    `${proposals.length - present - covered} new`,
    covered > 0 && `${covered} covered`,
    present > 0 && `${present} in the draft`,
  ].filter(Boolean);
  return (
    <span className="flex flex-wrap items-baseline gap-x-4">
      <span className="text-soft">{parts.join(", ")}</span>
      {wrong > 0 ? (
        <StateMark tone="bad" word={`${wrong} of ${examples.length} example numbers not as asked`} />
      ) : (
        <span className="text-soft">{examples.length} example numbers, all as asked</span>
      )}
    </span>
  );
}
