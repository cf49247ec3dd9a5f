import { Link } from "react-router";
import { Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { nextOf } from "./steps";
import { useSetup } from "./useSetup";

/** From an empty plan to the first call, step by step. */
export function SetupView() {
  const steps = useSetup();
  if (!steps) return <Loading what="the set-up" />;
  const next = nextOf(steps);
  return (
    <div className="mx-auto max-w-3xl p-6">
      <h1 className="text-title font-semibold">First set-up</h1>
      <p className="text-soft">From an empty plan to the first call. Every step can be changed later.</p>
      <ol className="mt-4 border-t-2 border-line">
        {steps.map((s, i) => (
          <li
            key={s.name}
            aria-current={s === next ? "step" : undefined}
            className="grid grid-cols-[2rem_minmax(0,1fr)_auto] items-baseline gap-3 border-b border-line py-3 aria-[current=step]:bg-road-wash"
          >
            <span className="pl-2 font-mono text-soft">{i + 1}</span>
            <div>
              <h2 className="font-semibold">{s.name}</h2>
              <p className="text-dense text-soft">{s.about}</p>
            </div>
            <div className="pr-2 text-right">
              {s.done ? (
                <StateMark tone="good" word="done" />
              ) : (
                <Link
                  to={s.to}
                  className={
                    s === next
                      ? "inline-block rounded-[3px] border border-road bg-road px-3 py-1 font-semibold text-sheet"
                      : "text-road underline-offset-2 hover:underline"
                  }
                >
                  {s.action}
                </Link>
              )}
            </div>
          </li>
        ))}
      </ol>
      {!next && <p className="mt-4">All steps are done.</p>}
    </div>
  );
}
