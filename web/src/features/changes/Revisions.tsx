import { useState } from "react";
import { api, take } from "@/api/client";
import { useComparison, useDraftEdit, useRevisions, useZone } from "@/api/queries";
import { dayAndClock } from "@/lib/time";
import { Button } from "@/ui/controls";
import { Failure, Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { ChangeItem } from "./ChangeItem";

type Revision = NonNullable<ReturnType<typeof useRevisions>["data"]>[number];

/** The plans that were live: to look at, to compare, to take away, to bring back. */
export function Revisions() {
  const revisions = useRevisions();
  if (!revisions.data)
    return revisions.isError ? <Failure error={revisions.error} /> : <Loading what="the revisions" />;
  return (
    <section className="p-4" aria-label="Revisions">
      <h2 className="mb-1 font-semibold">Revisions</h2>
      <ol>
        {revisions.data.map((r, i) => (
          <RevisionItem key={r.id} revision={r} live={i === 0} />
        ))}
      </ol>
    </section>
  );
}

function RevisionItem({ revision: r, live }: { revision: Revision; live: boolean }) {
  const zone = useZone();
  const [compared, setCompared] = useState(false);
  const bringBack = useDraftEdit(() =>
    take(api.POST("/api/revisions/{id}/restore", { params: { path: { id: r.id } } })),
  );
  return (
    <li className="border-t border-line py-1">
      <div className="flex items-baseline gap-3">
        <span className="font-mono">{r.id}</span>
        <StateMark tone={live ? "good" : "soft"} word={live ? "live" : "was live"} />
        <span className="ml-auto text-dense text-soft">
          {dayAndClock(r.created, zone())}, {r.who}
        </span>
      </div>
      <div className="break-words">{r.note || <span className="text-soft">no note</span>}</div>
      <div className="mt-1 flex flex-wrap gap-1 text-dense">
        <a
          className="inline-flex h-7 items-center rounded-[3px] px-2 text-road hover:bg-road-wash"
          href={`/api/revisions/${r.id}/plan`}
          download={`plan-revision-${r.id}.json`}
        >
          Export
        </a>
        {!live && (
          <>
            <Button
              look="bare"
              className="h-7 px-2 text-road"
              onClick={() => setCompared(!compared)}
              aria-expanded={compared}
            >
              Changes since
            </Button>
            <Button
              look="bare"
              className="h-7 px-2 text-road"
              onClick={() => bringBack.mutate(undefined)}
              disabled={bringBack.isPending}
            >
              Restore to draft
            </Button>
          </>
        )}
      </div>
      {bringBack.isError && <Failure error={bringBack.error} />}
      {compared && <After revision={r.id} />}
    </li>
  );
}

/** In which objects the live plan differs from a revision. */
function After({ revision }: { revision: number }) {
  const comparison = useComparison(revision);
  if (!comparison.data)
    return comparison.isError ? <Failure error={comparison.error} /> : <Loading what="the difference" />;
  if (comparison.data.changes.length === 0) {
    return <p className="text-soft">The live plan is the same.</p>;
  }
  return (
    <ul className="mt-1 border-l-4 border-road-wash">
      {comparison.data.changes.map((c) => (
        <li key={c.kind + c.id}>
          <ChangeItem change={c} />
        </li>
      ))}
    </ul>
  );
}
