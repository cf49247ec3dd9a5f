import { Link } from "react-router";
import type { NumberEffect, Plan, PublicNumber } from "@/api/client";
import { Forms } from "@/parts/Arrivals";
import { inputLook } from "@/ui/controls";

interface Props {
  effect: NumberEffect;
  number: PublicNumber;
  plan: Plan;
  member: string;
  onMember: (member: string) => void;
}

/** What becomes of a number in each form in which a carrier may send it, and when nobody answers. */
export function InboundResults({ effect, number, plan, member, onMember }: Props) {
  const { arrivals } = effect;
  if (arrivals.length === 0) return null;
  const trunks = [...new Map(arrivals.map((a) => [a.trunk.id, a.trunk])).values()];
  return (
    <>
      <section aria-label="As carriers may send it" className="mt-3 border-t-2 border-line pt-2">
        <div className="flex items-center gap-3">
          <h3 className="font-semibold">As carriers may send it</h3>
          {number.last ? (
            <label className="flex items-center gap-2 text-dense">
              <span className="whitespace-nowrap text-soft">shown on</span>
              <input
                className={`${inputLook} h-7 w-44 font-mono`}
                value={member}
                placeholder={effect.member}
                onChange={(e) => onMember(e.target.value)}
                spellCheck={false}
              />
            </label>
          ) : (
            <span className="font-mono text-dense text-soft">{effect.member}</span>
          )}
        </div>
        {trunks.map((t) => (
          <Forms key={t.id} name={t.name} arrivals={arrivals.filter((a) => a.trunk.id === t.id)} />
        ))}
      </section>
      <Then effect={effect} plan={plan} />
    </>
  );
}

const whenWords: Record<string, string> = {
  busy: "is busy",
  away: "no answer",
  silent: "unavailable",
};

/** A last resort is no second try: what a caller meets when who answers does not. */
function Then({ effect, plan }: { effect: NumberEffect; plan: Plan }) {
  if (effect.then.length === 0) return null;
  return (
    <section aria-label="No answer" className="mt-3 border-t-2 border-line pt-2">
      <h3 className="font-semibold">Destination state</h3>
      <ul>
        {effect.then.map((t) => (
          <li key={t.when} className="flex gap-3 py-1">
            <span className="w-36 text-soft">{whenWords[t.when]}</span>
            {t.trunk ? (
              <span>
                rings <span className="font-mono">{t.called}</span> by{" "}
                {plan.trunks.find((x) => x.id === t.trunk)?.name ?? t.trunk}
              </span>
            ) : (
              <span>
                {t.status}: {t.why}
              </span>
            )}
          </li>
        ))}
      </ul>
      <p className="mt-1 text-dense text-soft">
        Calls to unknown numbers reach the last-resort destination of the{" "}
        <Link to="/plan/trunks" className="text-road underline">
          trunk
        </Link>{" "}
        or{" "}
        <Link to="/plan/switches" className="text-road underline">
          switch
        </Link>
        .
      </p>
    </section>
  );
}
