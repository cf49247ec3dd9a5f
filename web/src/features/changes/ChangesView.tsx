import { useState } from "react";
import { Link } from "react-router";
import { api, take } from "@/api/client";
import { useChanges, useDraftEdit } from "@/api/queries";
import { Button, Field, inputLook } from "@/ui/controls";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { VirtualList } from "@/ui/VirtualList";
import { ChangeItem } from "./ChangeItem";
import { ImportPlan } from "./ImportPlan";
import { Revisions } from "./Revisions";

/** The draft against the live plan, and the step that makes it live. */
export function ChangesView() {
  const changes = useChanges();
  const [scrolled, setScrolled] = useState<HTMLElement | null>(null);
  if (changes.isPending) return <Loading what="the draft" />;
  if (!changes.data) return <Failure error={changes.error} retry={() => changes.refetch()} />;
  const { changes: list, problems } = changes.data;
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_24rem]">
      <div ref={setScrolled} className="overflow-auto">
        <h1 className="border-b border-line bg-sunk px-4 py-1.5">
          <span className="font-semibold">Draft against live</span>{" "}
          <span className="text-soft">revision {changes.data.revision} carries calls now</span>
        </h1>
        {problems.length > 0 && (
          <div className="p-4">
            <Failure error={new Error("The draft cannot go live until this is mended:")} />
            <ul className="mt-2 list-disc pl-6">
              {problems.map((p) => (
                <li key={p.place + p.reason}>
                  <code className="font-mono text-[13px]">{p.place}</code>: {p.reason}
                </li>
              ))}
            </ul>
          </div>
        )}
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
        />
        <ImportPlan />
        <Revisions />
      </aside>
    </div>
  );
}

function GoLivePanel({ version, count, blocked }: { version: number; count: number; blocked: boolean }) {
  const [note, setNote] = useState("");
  const goLive = useDraftEdit((body: { version: number; note: string }) =>
    take(api.POST("/api/live", { body })),
  );
  const discard = useDraftEdit(() => take(api.POST("/api/changes/discard")));
  return (
    <form
      className="flex flex-col gap-3 border-b border-line p-4"
      onSubmit={(e) => {
        e.preventDefault();
        goLive.mutate({ version, note }, { onSuccess: () => setNote("") });
      }}
    >
      <h2 className="font-semibold">Go live</h2>
      <p className="text-soft">
        Calls that run keep the plan that they began with; the next call is decided by the new one.
      </p>
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
      <div className="flex gap-2">
        <Button type="submit" look="main" disabled={count === 0 || blocked || goLive.isPending}>
          Go live with {count} {count === 1 ? "change" : "changes"}
        </Button>
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
