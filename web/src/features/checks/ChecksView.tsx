import { Play, Plus, Trash2 } from "lucide-react";
import { useMemo, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type CheckState, take } from "@/api/client";
import { deleteObject, useChecks, useDraft, useDraftEdit } from "@/api/queries";
import { lookOf } from "@/features/testcall/ask";
import { Choice } from "@/ui/Choice";
import { CountFilter } from "@/ui/CountFilter";
import { Button } from "@/ui/controls";
import { DataTable } from "@/ui/DataTable";
import { Empty, Failure, Loading } from "@/ui/feedback";
import type { Tone } from "@/ui/StateMark";
import { Coverage } from "./Coverage";
import { columnsIn, namesIn } from "./columns";

const states: Record<CheckState["state"], { tone: Tone; word: string }> = {
  failed: { tone: "bad", word: "failed" },
  stale: { tone: "warn", word: "not run since change" },
  passed: { tone: "good", word: "passed" },
};
const severity = Object.keys(states);

/** The kept test calls of the draft: which fail, which must run again, and which rules none of them covers. */
export function ChecksView() {
  const checks = useChecks();
  const draft = useDraft();
  const navigate = useNavigate();
  const [only, setOnly] = useState<CheckState["state"]>();
  const [group, setGroup] = useState("");
  const run = useDraftEdit((ids: string[]) => take(api.POST("/api/checks/run", { body: { ids } })));
  const remove = useDraftEdit(async (ids: string[]) => {
    for (const id of ids) await deleteObject("checks", id);
  });
  const plan = draft.data?.plan;
  const columns = useMemo(() => columnsIn(namesIn(plan), states), [plan]);
  const list = checks.data?.checks;
  const rows = useMemo(
    () =>
      (list ?? [])
        .filter((c) => (!only || c.state === only) && (!group || c.check.group === group))
        .sort((a, b) => severity.indexOf(a.state) - severity.indexOf(b.state)),
    [list, only, group],
  );
  if (checks.isPending) return <Loading what="the checks" />;
  if (!checks.data) return <Failure error={checks.error} retry={() => checks.refetch()} />;
  if (checks.data.checks.length === 0) {
    return (
      <Empty
        action={
          <Link to="/test-call" className="text-road underline">
            Place a test call
          </Link>
        }
      >
        No checks yet. Place a test call and keep it as check.
      </Empty>
    );
  }
  const { failed, stale, passed } = checks.data;
  const groups = [...new Set(checks.data.checks.map((c) => c.check.group ?? ""))].filter(Boolean);
  const changed = rows.filter((c) => c.state !== "passed").map((c) => c.check.id);
  return (
    <div className="flex h-full flex-col">
      {(run.isError || remove.isError) && <Failure error={run.error ?? remove.error} />}
      <DataTable
        name="checks"
        label="Checks"
        rows={rows}
        columns={columns}
        keyOf={(c) => c.check.id}
        onOpen={(c) => navigate(lookOf(c.check))}
        tone={(c) => (c.state === "failed" ? "bad" : undefined)}
        empty="No check in this state."
        bulk={(chosen, clear) => {
          const ids = chosen.map((c) => c.check.id);
          return (
            <>
              <Button className="h-7" onClick={() => run.mutate(ids)} disabled={run.isPending}>
                <Play className="size-4" aria-hidden="true" /> Run selected
              </Button>
              <Button
                look="danger"
                className="h-7"
                onClick={() => remove.mutate(ids, { onSuccess: clear })}
                disabled={remove.isPending}
              >
                <Trash2 className="size-4" aria-hidden="true" /> Delete selected
              </Button>
            </>
          );
        }}
      >
        <CountFilter
          groups={states}
          counts={{ failed, stale, passed }}
          chosen={only}
          onChoose={setOnly}
          always={["failed", "passed"]}
        />
        {groups.length > 1 && (
          <Choice
            label="Group"
            any="Any group"
            value={group}
            onChange={setGroup}
            options={groups.map((g) => ({ value: g, label: g }))}
          />
        )}
        <Button
          className="h-7"
          onClick={() => run.mutate(changed)}
          disabled={run.isPending || changed.length === 0}
        >
          Run changed
        </Button>
        <Button look="main" className="h-7" onClick={() => run.mutate([])} disabled={run.isPending}>
          <Play className="size-4" aria-hidden="true" /> {run.isPending ? "Running …" : "Run all"}
        </Button>
        <Link
          to="/test-call"
          className="inline-flex items-center gap-1 text-road underline-offset-2 hover:underline"
          title="Place a test call, then keep it"
        >
          <Plus className="size-4" aria-hidden="true" /> Add by test call
        </Link>
      </DataTable>
      <Coverage checks={checks.data} />
    </div>
  );
}
