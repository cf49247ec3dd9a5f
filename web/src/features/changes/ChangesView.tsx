import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, type Impact, take } from "@/api/client";
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
  const work = useMutation({ mutationFn: () => take(api.POST("/api/draft/impact")) });
  if (changes.isPending) return <Loading what="the draft" />;
  if (!changes.data) return <Failure error={changes.error} retry={() => changes.refetch()} />;
  const { changes: list, problems, version } = changes.data;
  const impact = work.data?.version === version ? work.data : undefined;
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_24rem]">
      <div ref={setScrolled} className="overflow-auto">
        <h1 className="border-b border-line bg-sunk px-4 py-1">
          <span className="font-semibold">Changes</span>{" "}
          <span className="text-soft">
            {changes.data.revision === 0 ? "not live yet" : `against live revision ${changes.data.revision}`}
          </span>
        </h1>
        {problems.length > 0 && (
          <div className="p-4">
            <Failure error={new Error("The draft cannot go live. Correct:")} />
            <ul className="mt-2 list-disc pl-6">
              {problems.map((p) => (
                <li key={p.place + p.reason}>
                  <span className="font-semibold">{placeInWords(p.place, plan)}</span>: {p.reason}
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
            No changes. Edits of the plan are listed here until they go live.
          </Empty>
        ) : (
          <VirtualList items={list} keyOf={(c) => `${c.kind} ${c.id}`} scrolled={scrolled} height={48}>
            {(c) => <ChangeItem change={c} plan={plan} />}
          </VirtualList>
        )}
        {changes.data.count > list.length && (
          <p className="p-4 text-soft">and {changes.data.count - list.length} more</p>
        )}
        {work.isPending && <Loading what="the impact" />}
        {work.isError && <Failure error={work.error} />}
        {impact && <Before impact={impact} plan={plan} />}
      </div>
      <aside className="overflow-auto border-l border-line bg-sheet">
        <GoLivePanel
          version={changes.data.version}
          count={changes.data.count}
          blocked={problems.length > 0}
          impact={impact}
          compute={() => work.mutateAsync()}
          computing={work.isPending}
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
  /** Undefined if it was not computed since the last edit. */
  impact?: Impact;
  compute: () => Promise<Impact>;
  computing: boolean;
}

/** The impact is computed before a draft goes live, and its findings are shown first. */
function GoLivePanel({ version, count, blocked, impact, compute, computing }: GoLiveProps) {
  const [note, setNote] = useState("");
  const goLive = useDraftEdit((body: { version: number; note: string }) =>
    take(api.POST("/api/live", { body })),
  );
  const discard = useDraftEdit(() => take(api.POST("/api/changes/discard")));
  const told = count > 0 && impact !== undefined && impact.worth > 0;
  return (
    <form
      className="flex flex-col gap-3 border-b border-line p-4"
      onSubmit={(e) => {
        e.preventDefault();
        const go = () => goLive.mutate({ version, note }, { onSuccess: () => setNote("") });
        if (impact) go();
        else
          compute().then(
            (r) => r.worth === 0 && r.version === version && go(),
            () => undefined, // said beside the changes
          );
      }}
    >
      <h2 className="font-semibold">Go live</h2>
      <p className="text-soft">Active calls keep their plan; new calls use the new one.</p>
      {told && impact && <Grave impact={impact} />}
      <Field label="Revision note">
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
        <StateMark tone="good" word={`Revision ${goLive.data.id} is live.`} />
      )}
      <div className="flex flex-wrap gap-2">
        <Button
          type="submit"
          look={told ? "grave" : "main"}
          disabled={count === 0 || blocked || goLive.isPending || computing}
        >
          {told ? "Go live anyway" : `Go live with ${count} ${count === 1 ? "change" : "changes"}`}
        </Button>
        {!impact && (
          <Button disabled={count === 0 || computing} onClick={() => compute().catch(() => undefined)}>
            Show impact
          </Button>
        )}
        <Discard disabled={count === 0 || discard.isPending} onConfirm={() => discard.mutate(undefined)} />
      </div>
      {discard.isError && <Failure error={discard.error} />}
    </form>
  );
}

/** What going live would break, the worst first, beside the button that does it. */
function Grave({ impact }: { impact: Impact }) {
  const lost = impact.trunkFailures.flatMap((a) => a.lost).filter((l) => l.new);
  const emergency = lost.filter((l) => l.emergency).length;
  const rejected = impact.replayed.groups
    .filter((g) => g.what === "refused")
    .reduce((n, g) => n + g.count, 0);
  const lines = [
    of(emergency, "emergency call loses its second route", "emergency calls lose their second route"),
    of(impact.checks.failed.length, "check fails", "checks fail"),
    of(rejected, "recorded call would be rejected", "recorded calls would be rejected"),
    of(lost.length - emergency, "call loses its second route", "calls lose their second route"),
  ].filter(Boolean);
  return (
    <div role="alert" className="rounded-[3px] border-2 border-bad bg-bad-wash p-3">
      <StateMark tone="bad" word={`Impact: ${of(impact.worth, "finding", "findings")}`} />
      <ul className="list-disc pl-6 text-dense">
        {lines.map((l) => (
          <li key={l}>{l}</li>
        ))}
      </ul>
      <a href="#impact" className="text-road underline underline-offset-2">
        Show findings
      </a>
    </div>
  );
}

const of = (n: number, one: string, many: string) => (n === 0 ? "" : `${n} ${n === 1 ? one : many}`);

/** Discarding the draft takes a second press. */
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
      {asked ? "Confirm: discard draft" : "Discard draft"}
    </Button>
  );
}
