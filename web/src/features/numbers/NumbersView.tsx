import { useQuery } from "@tanstack/react-query";
import { Download, Plus } from "lucide-react";
import { useState } from "react";
import { Link, useParams } from "react-router";
import type { NumberAsk, Plan } from "@/api/client";
import { numbersQuery, useDraft, useNumbersSummary } from "@/api/queries";
import { useMedia } from "@/lib/media";
import { inputLook } from "@/ui/controls";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { Select } from "@/ui/Select";
import { BulkEdit } from "./BulkEdit";
import { DetectedNumbers } from "./DetectedNumbers";
import { ImportNumbers } from "./ImportNumbers";
import { NumberEditor } from "./NumberEditor";
import { NumberTable } from "./NumberTable";
import { states } from "./words";

/** The draft's public numbers: found, edited, and each with what becomes of it. */
export function NumbersView() {
  const draft = useDraft();
  const summary = useNumbersSummary();
  const { id } = useParams();
  const [ask, setAsk] = useState<NumberAsk>({});
  const [selected, setSelected] = useState<Set<string>>(new Set());
  const wide = useMedia("(min-width: 1680px)");
  const narrow = id !== undefined && !wide;
  if (draft.isPending || summary.isPending) return <Loading what="the numbers" />;
  if (!draft.data) return <Failure error={draft.error} retry={() => draft.refetch()} />;
  if (!summary.data) return <Failure error={summary.error} retry={() => summary.refetch()} />;
  const { plan } = draft.data;
  return (
    <div className={`grid h-full ${id ? "grid-cols-[minmax(0,1fr)_41rem]" : "grid-cols-1"}`}>
      <section aria-label="Numbers" className="flex min-h-0 min-w-0 flex-col">
        <div className="flex flex-wrap items-center gap-2 border-b border-line bg-sunk px-4 py-1">
          <h1 className="font-semibold">Public numbers</h1>
          <span className="text-dense text-soft">
            {count(summary.data.rows)} {summary.data.rows === 1 ? "row" : "rows"} in the draft
          </span>
          <span className="ml-auto flex items-center gap-2">
            <a
              href="/api/draft/numbers.csv"
              download
              className="inline-flex items-center gap-1 text-dense text-road underline-offset-2 hover:underline"
            >
              <Download className="size-4" aria-hidden="true" /> CSV
            </a>
            <ImportNumbers />
            <Link
              to="/numbers/new"
              className="inline-flex h-8 items-center gap-2 rounded-[3px] border border-road bg-road px-3 font-semibold text-road-ink"
            >
              <Plus className="size-4" aria-hidden="true" /> Add
            </Link>
          </span>
        </div>
        <Filters plan={plan} sites={summary.data.sites} ask={ask} onChange={setAsk} narrow={narrow} />
        <DetectedNumbers
          summary={summary.data}
          plan={plan}
          only={ask.only}
          onOnly={(only) => setAsk({ ...ask, only })}
        />
        {summary.data.rows === 0 ? (
          <Empty
            action={
              <Link to="/numbers/new" className="text-road underline">
                Add the first block
              </Link>
            }
          >
            No numbers yet. Add a block, or import a CSV file with the columns first, last, state, carrier,
            site, owner, destination, extension, note.
          </Empty>
        ) : (
          <>
            <Bulk plan={plan} ask={ask} selected={selected} onDone={() => setSelected(new Set())} />
            <NumberTable
              plan={plan}
              ask={ask}
              selected={selected}
              onSelect={setSelected}
              onSort={(sort, down) => setAsk({ ...ask, sort, down })}
              chosen={id}
              narrow={narrow}
            />
          </>
        )}
      </section>
      {id && <NumberEditor key={id} id={id} plan={plan} />}
    </div>
  );
}

/** Bulk edit, where rows are selected or a filter holds: what is selected goes before what is found. */
function Bulk({
  plan,
  ask,
  selected,
  onDone,
}: {
  plan: Plan;
  ask: NumberAsk;
  selected: Set<string>;
  onDone: () => void;
}) {
  const filtered = isFiltered(ask);
  const found =
    useQuery({ ...numbersQuery({ ...ask, from: 0, limit: 1 }), enabled: filtered }).data?.found ?? 0;
  if (selected.size === 0 && !(filtered && found > 0)) return null;
  return <BulkEdit plan={plan} ask={ask} ids={[...selected]} found={found} onDone={onDone} />;
}

const isFiltered = (ask: NumberAsk) =>
  Object.values({ ...ask, sort: undefined, down: undefined }).some(Boolean);

const count = (n: number) => n.toLocaleString("en-GB");

interface FiltersProps {
  plan: Plan;
  sites: string[];
  ask: NumberAsk;
  onChange: (ask: NumberAsk) => void;
  narrow: boolean;
}

function Filters({ plan, sites, ask, onChange, narrow }: FiltersProps) {
  const choice = (
    label: string,
    key: "state" | "carrier" | "site" | "destination" | "kind",
    all: string,
    options: (readonly [string, string])[],
  ) => (
    <Select
      aria-label={`Filter by ${label}`}
      className="w-auto max-w-[11rem]"
      small
      value={ask[key] ?? ""}
      onChange={(v) => onChange({ ...ask, [key]: v || undefined })}
      none={all}
      options={options.map(([value, label]) => ({ value, label }))}
    />
  );
  return (
    <search className="flex flex-wrap items-center gap-2 border-b border-line px-4 py-1">
      <input
        type="search"
        className={`${inputLook.replace("w-full", "w-64")} font-mono`}
        placeholder="digits, or words of a row"
        aria-label="Find a number"
        value={ask.text ?? ""}
        onChange={(e) => onChange({ ...ask, text: e.target.value || undefined })}
      />
      {choice(
        "state",
        "state",
        "any state",
        states.map((s) => [s, s] as const),
      )}
      {choice(
        "destination",
        "destination",
        "answered by any",
        plan.destinations.map((d) => [d.id, d.name] as const),
      )}
      {!narrow && (
        <>
          {choice(
            "carrier",
            "carrier",
            "any carrier",
            plan.farEnds.map((f) => [f.id, f.name] as const),
          )}
          {choice(
            "site",
            "site",
            "any site",
            sites.map((s) => [s, s] as const),
          )}
          {choice("kind", "kind", "blocks and singles", [
            ["block", "blocks only"],
            ["single", "singles only"],
          ])}
        </>
      )}
      {isFiltered(ask) && (
        <button
          type="button"
          className="text-dense text-road underline"
          onClick={() => onChange({ sort: ask.sort, down: ask.down })}
        >
          all
        </button>
      )}
    </search>
  );
}
