import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type Try, type TryAsk, take } from "@/api/client";
import { keys } from "@/api/keys";
import { Digits } from "@/ui/Digits";
import { StateMark } from "@/ui/StateMark";
import { Verdict } from "./TestResult";

/** Of a call without permission: the permission that it lacks, and what would become of it with that. */
export function WayOut({ tried, ask }: { tried: Try; ask: TryAsk }) {
  const lacked = tried.result?.steps.findLast((s) => s.permitted)?.permitted;
  const barred = tried.result?.outcome === "refused" && lacked !== undefined && !lacked.allowed;
  const body: TryAsk = { ...ask, mode: "dry", permitted: true };
  const permitted = useQuery({
    queryKey: keys.dryRun(ask.from, ask.called, body),
    queryFn: () => take(api.POST("/api/test-calls", { body })),
    enabled: barred,
    retry: false,
  });
  if (!barred) return null;
  const then = permitted.data?.result;
  return (
    <section aria-label="Permission" className="rounded-[3px] border border-warn bg-sheet p-3">
      <p>
        <StateMark tone="warn" word={lacked.rule ? "rule for other groups" : "no permission"} />{" "}
        <span className="text-soft">{lacked.detail}</span>{" "}
        {lacked.group && (
          <Link to="/permissions" className="text-road underline underline-offset-2">
            Permissions of {lacked.group.name}
          </Link>
        )}
      </p>
      {permitted.data && then && (
        <p className="mt-1">
          <span className="text-soft">With permission:</span> <Verdict tried={permitted.data} />
          {then.outcome === "answered" && (
            <span className="text-soft">
              {" "}
              called <Digits number={then.called} />, calling <Digits number={then.caller} />
            </span>
          )}
        </p>
      )}
    </section>
  );
}
