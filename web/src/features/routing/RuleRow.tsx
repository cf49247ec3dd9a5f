import { ArrowDown, ArrowUp } from "lucide-react";
import { useNavigate } from "react-router";
import { api, type Finding, type Plan, type Rule, type Table, take } from "@/api/client";
import { useDraftEdit } from "@/api/queries";
import { shortStep, thenText } from "@/parts/steps";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { FindingMark } from "./Findings";

/** A rule, its place in the list, and the rule that it stands before and why. */
export interface Ordered {
  rule: Rule;
  listed: number;
  before?: Rule;
  example?: string;
}

interface RowProps {
  plan: Plan;
  table: Table;
  ordered: Ordered;
  /** Place in the order in which rules are tried. */
  place: number;
  /** The rules that it can change places with, by their ids, and the one behind those. */
  above?: string;
  below?: string;
  behind: string;
  chosen: boolean;
  findings?: Finding[];
}

export function RuleRow({ plan, table, ordered, place, above, below, behind, chosen, findings }: RowProps) {
  const { rule, listed, before, example } = ordered;
  const navigate = useNavigate();
  const move = useDraftEdit((before: string) =>
    take(api.POST("/api/draft/rules/{id}/move", { params: { path: { id: rule.id } }, body: { before } })),
  );
  const up = () => above && move.mutate(above);
  const down = () =>
    below && move.mutate(table.order === "as-listed" ? behind : (table.rules[listed + 2]?.id ?? ""));
  const then = thenText(rule.then, plan);
  const open = () => navigate(`/routing/${table.id}/${rule.id}`);
  return (
    <div
      data-rule={rule.id}
      className={`grid grid-cols-[2.9rem_minmax(0,1fr)_auto] items-start border-b border-line ${chosen ? "bg-road-wash" : ""} ${rule.disabled ? "opacity-60" : ""}`}
    >
      <span className="pt-2 text-right font-mono text-[13px] text-soft">{place + 1}</span>
      <button
        type="button"
        data-row
        onClick={open}
        onKeyDown={(e) => {
          if (e.altKey && e.key === "ArrowUp") up();
          if (e.altKey && e.key === "ArrowDown") down();
        }}
        className="min-w-0 px-3 py-2 text-left"
      >
        <div className="flex flex-wrap items-baseline gap-x-3">
          <MatchText rule={rule} plan={plan} />
          <span className="truncate font-semibold">{rule.name}</span>
          {rule.disabled && <span className="text-soft">disabled</span>}
          {rule.catchAll && <span className="text-soft">last resort</span>}
          {findings?.map((f) => (
            <FindingMark key={f.kind + f.text} finding={f} />
          ))}
        </div>
        <div className="mt-0.5 flex flex-wrap items-center gap-x-2 gap-y-1 text-[13px]">
          {(rule.calledSteps ?? []).map((s) => (
            <StepChip key={JSON.stringify(s)} number="called" text={shortStep(s)} />
          ))}
          {(rule.callerSteps ?? []).map((s) => (
            <StepChip key={JSON.stringify(s)} number="caller" text={shortStep(s)} />
          ))}
          <span>
            <span className="text-soft">{then.word}</span> <span className="font-semibold">{then.name}</span>
          </span>
          {rule.callerGroups && rule.callerGroups.length > 0 && (
            <span className="text-soft">
              only for{" "}
              {rule.callerGroups
                .map((id) => plan.callerGroups?.find((g) => g.id === id)?.name ?? id)
                .join(" and ")}
            </span>
          )}
          {rule.complete === "at-once" && <span className="text-soft">connects at once</span>}
        </div>
        {before && <PlaceReason before={before} example={example} />}
        {move.isError && <Failure error={move.error} />}
      </button>
      <span className="flex flex-col p-1">
        <MoveButton
          label={`Move ${rule.name} up`}
          onClick={up}
          disabled={!above || move.isPending}
          icon={<ArrowUp className="size-3.5" />}
        />
        <MoveButton
          label={`Move ${rule.name} down`}
          onClick={down}
          disabled={!below || move.isPending}
          icon={<ArrowDown className="size-3.5" />}
        />
      </span>
    </div>
  );
}

/** Why a rule stands before another, wherever it is in the list. */
function PlaceReason({ before, example }: { before: Rule; example?: string }) {
  return (
    <div className="mt-0.5 text-[13px] text-soft">
      before <span className="text-ink">{before.name}</span>: every call that it takes that one would take too
      {example && (
        <>
          , e.g. <span className="font-mono text-ink">{example}</span>
        </>
      )}
    </div>
  );
}

function MoveButton({
  label,
  onClick,
  disabled,
  icon,
}: {
  label: string;
  onClick: () => void;
  disabled: boolean;
  icon: React.ReactNode;
}) {
  return (
    <Button
      look="bare"
      className="h-6 px-1"
      onClick={onClick}
      disabled={disabled}
      aria-label={label}
      title={`${label} (Alt and arrow)`}
    >
      {icon}
    </Button>
  );
}

function MatchText({ rule, plan }: { rule: Rule; plan: Plan }) {
  const { called, caller, noDigits, noCaller, trunks: from, trunkGroups: fromGroups, when } = rule.match;
  return (
    <span className="font-mono text-[15px]">
      {noDigits ? (
        <span className="font-sans italic">no digits</span>
      ) : (
        called || <span className="font-sans italic">any number</span>
      )}
      {(caller || noCaller) && (
        <span className="text-[13px] text-soft">
          {" "}
          caller {noCaller ? <span className="font-sans italic">none</span> : caller}
        </span>
      )}
      {from && from.length > 0 && (
        <span className="font-sans text-[13px] text-soft">
          {" "}
          from {from.map((id) => plan.trunks.find((t) => t.id === id)?.name ?? id).join(", ")}
        </span>
      )}
      {fromGroups && fromGroups.length > 0 && (
        <span className="font-sans text-[13px] text-soft"> from group {fromGroups.join(", ")}</span>
      )}
      {when?.calendar && (
        <span className="font-sans text-[13px] text-soft">
          {" "}
          while {plan.calendars?.find((h) => h.id === when.calendar)?.name ?? when.calendar} is{" "}
          {when.states?.join(" or ")}
        </span>
      )}
    </span>
  );
}

function StepChip({ number, text }: { number: "called" | "caller"; text: string }) {
  return (
    <span className="rounded-[3px] border border-line bg-sheet px-1.5">
      <span className="text-soft">{number}</span> <span className="font-mono">{text}</span>
    </span>
  );
}
