import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, type Rehearsal, take } from "@/api/client";
import { useChanges, useDraft, useDraftEdit } from "@/api/queries";
import { placeInWords } from "@/lib/places";
import { Button, Field, inputLook } from "@/ui/controls";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { VirtualList } from "@/ui/VirtualList";
import { Before } from "./Before";
import { ChangeItem } from "./ChangeItem";
import { ImportPlan } from "./ImportPlan";
import { Revisions } from "./Revisions";
import { TrialPanel } from "./TrialPanel";

/** The draft against the live plan, and the step that makes it live. */
export function ChangesView() {
  const changes = useChanges();
  const plan = useDraft().data?.plan;
  const [scrolled, setScrolled] = useState<HTMLElement | null>(null);
  const rehearse = useMutation({ mutationFn: () => take(api.POST("/api/draft/impact")) });
  if (changes.isPending) return <Loading what="the draft" />;
  if (!changes.data) return <Failure error={changes.error} retry={() => changes.refetch()} />;
  const { changes: list, problems, version } = changes.data;
  const rehearsed = rehearse.data?.version === version ? rehearse.data : undefined;
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_24rem]">
      <div ref={setScrolled} className="overflow-auto">
        <h1 className="border-b border-line bg-sunk px-4 py-1.5">
          <span className="font-semibold">Draft against live</span>{" "}
          <span className="text-soft">
            {changes.data.revision === 0
              ? "nothing is live yet"
              : `revision ${changes.data.revision} carries calls now`}
          </span>
        </h1>
        {problems.length > 0 && (
          <div className="p-4">
            <Failure error={new Error("The draft cannot go live until this is mended:")} />
            <ul className="mt-2 list-disc pl-6">
              {problems.map((p) => (
                <li key={p.place + p.reason}>
                  <span className="font-semibold">{placeInWords(p.place, plan)}</span>: {p.reason}
                </li>
              ))}
            </ul>
          </div>
        )}
        {rehearse.isPending && <Loading what="what the draft would do" />}
        {rehearse.isError && <Failure error={rehearse.error} />}
        {rehearsed && <Before rehearsal={rehearsed} plan={plan} />}
        {list.length === 0 ? (
          <Empty
            action={
              <Link to="/routing" className="text-road underline">
                Edit the routing
              </Link>
            }
          >
            The draft is the same as the live plan. What you change elsewhere gathers here until it goes live.
          </Empty>
        ) : (
          <VirtualList items={list} keyOf={(c) => `${c.kind} ${c.id}`} scrolled={scrolled} height={80}>
            {(c) => <ChangeItem change={c} />}
          </VirtualList>
        )}
        {changes.data.count > list.length && (
          <p className="p-4 text-soft">
            and {changes.data.count - list.length} more, which go live with these
          </p>
        )}
      </div>
      <aside className="overflow-auto border-l border-line bg-sheet">
        <GoLivePanel
          version={changes.data.version}
          count={changes.data.count}
          blocked={problems.length > 0}
          rehearsed={rehearsed}
          rehearse={() => rehearse.mutateAsync()}
          rehearsing={rehearse.isPending}
        />
        <TrialPanel plan={plan} version={version} count={changes.data.count} blocked={problems.length > 0} />
        <ImportPlan />
        <Revisions />
      </aside>
    </div>
  );
}

interface GoLiveProps {
  version: number;
  count: number;
  blocked: boolean;
  /** What this draft was found to do; undefined if it was not rehearsed since its last edit. */
  rehearsed?: Rehearsal;
  rehearse: () => Promise<Rehearsal>;
  rehearsing: boolean;
}

/** The draft is rehearsed before it goes live: where that finds something, it is told first. */
function GoLivePanel({ version, count, blocked, rehearsed, rehearse, rehearsing }: GoLiveProps) {
  const [note, setNote] = useState("");
  const goLive = useDraftEdit((body: { version: number; note: string }) =>
    take(api.POST("/api/live", { body })),
  );
  const discard = useDraftEdit(() => take(api.POST("/api/changes/discard")));
  const told = count > 0 && rehearsed !== undefined && rehearsed.worth > 0;
  return (
    <form
      className="flex flex-col gap-3 border-b border-line p-4"
      onSubmit={(e) => {
        e.preventDefault();
        const go = () => goLive.mutate({ version, note }, { onSuccess: () => setNote("") });
        if (rehearsed) go();
        else
          rehearse().then(
            (r) => r.worth === 0 && r.version === version && go(),
            () => undefined, // said beside the changes
          );
      }}
    >
      <h2 className="font-semibold">Go live</h2>
      <p className="text-soft">
        Calls that run keep the plan that they began with; the next call is decided by the new one.
      </p>
      {told && (
        <StateMark
          tone="draft"
          wrap
          word={`The rehearsal found ${rehearsed?.worth} to look at; see beside.`}
        />
      )}
      <Field label="Note for the revision">
        {(p) => (
          <input
            {...p}
            className={inputLook}
            value={note}
            onChange={(e) => setNote(e.target.value)}
            maxLength={1000}
          />
        )}
      </Field>
      {goLive.isError && <Failure error={goLive.error} />}
      {goLive.isSuccess && count === 0 && (
        <StateMark tone="good" word={`Revision ${goLive.data.id} is saved and carries calls.`} />
      )}
      <div className="flex flex-wrap gap-2">
        <Button type="submit" look="main" disabled={count === 0 || blocked || goLive.isPending || rehearsing}>
          {told ? "Go live all the same" : `Go live with ${count} ${count === 1 ? "change" : "changes"}`}
        </Button>
        {!rehearsed && (
          <Button disabled={count === 0 || rehearsing} onClick={() => rehearse().catch(() => undefined)}>
            Rehearse
          </Button>
        )}
        <Discard disabled={count === 0 || discard.isPending} onConfirm={() => discard.mutate(undefined)} />
      </div>
      {discard.isError && <Failure error={discard.error} />}
    </form>
  );
}

/** Giving the draft up takes a second press. */
function Discard({ disabled, onConfirm }: { disabled: boolean; onConfirm: () => void }) {
  const [asked, setAsked] = useState(false);
  return (
    <Button
      look={asked ? "danger" : "plain"}
      disabled={disabled}
      onBlur={() => setAsked(false)}
      onClick={() => {
        if (asked) onConfirm();
        setAsked(!asked);
      }}
    >
      {asked ? "Really give it up?" : "Give the draft up"}
    </Button>
  );
}
