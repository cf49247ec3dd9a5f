import { ShieldCheck } from "lucide-react";
import type { TrunkDetail } from "@/api/client";
import { putObject, useDraft, useDraftEdit } from "@/api/queries";
import { ago } from "@/lib/time";
import { trusting } from "@/lib/trunk";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";

/** What was refused although it fits this trunk: carriers send from servers that nobody listed. */
export function UnmatchedRequests({ trunk }: { trunk: TrunkDetail }) {
  const draft = useDraft().data?.plan.trunks.find((t) => t.id === trunk.id);
  const trust = useDraftEdit((source: string) => {
    if (!draft) throw new Error("the draft has no such trunk");
    return putObject("trunks", { is: trusting(draft, source), was: draft });
  });
  return (
    <section className="border-b border-line p-4" aria-label="Refused although they fit">
      <h3 className="font-semibold">Refused although they fit</h3>
      {trust.isError && <Failure error={trust.error} />}
      <ul className="mt-1 flex flex-col gap-2">
        {trunk.strays.map((s) => (
          <li key={s.source + s.by}>
            <div className="flex flex-wrap items-baseline gap-x-2">
              <span className="font-mono break-all">
                {s.source}:{s.port}
              </span>
              <span className="text-dense text-soft">
                {s.by}, {s.method}, {s.count === 1 ? "once" : `${s.count} times`}, {ago(s.last)}
              </span>
            </div>
            <div className="text-dense break-words">{s.why}</div>
            {s.trustable &&
              draft &&
              (draft.link.sip?.trustedAddresses?.includes(s.source) ? (
                <StateMark tone="draft" word="trusted in the draft" />
              ) : (
                <Button
                  className="mt-1 h-7"
                  disabled={trust.isPending}
                  onClick={() => trust.mutate(s.source)}
                >
                  <ShieldCheck className="size-4" aria-hidden="true" /> Trust this address
                </Button>
              ))}
          </li>
        ))}
      </ul>
    </section>
  );
}
