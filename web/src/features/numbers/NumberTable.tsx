import { useQueries } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import type { NumberAsk, NumberRow, Plan } from "@/api/client";
import { numbersQuery } from "@/api/queries";
import { walkRows } from "@/lib/list";
import { ago } from "@/lib/time";
import { Digits } from "@/ui/Digits";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { endOf, nameOf, sizeOf, toneOf } from "./words";

/** How many rows are asked for at once, and how high each is. */
const stretch = 100;
const height = 28;
/** A browser draws nothing higher than this many rows; further ones are found by searching. */
const most = 900_000;

type Sort = NonNullable<NumberAsk["sort"]>;

interface Props {
  plan: Plan;
  ask: NumberAsk;
  onSort: (sort: Sort, down: boolean) => void;
  chosen?: string;
  /** Only what tells a number from others. */
  narrow: boolean;
  selected: Set<string>;
  onSelect: (selected: Set<string>) => void;
}

/** What was found, of any length: only the stretches in sight are asked for. */
export function NumberTable({ plan, ask, onSort, chosen, narrow, selected, onSelect }: Props) {
  const [scrolled, setScrolled] = useState<HTMLElement | null>(null);
  const [at, setAt] = useState<number[]>([0]);
  const pages = useQueries({
    queries: at.map((p) => ({
      ...numbersQuery({ ...ask, from: p * stretch, limit: stretch }),
      placeholderData: (before: unknown) => before as never,
    })),
  });
  const first = pages.find((p) => p.data)?.data;
  const found = first?.found ?? 0;
  const rows = useVirtualizer({
    count: Math.min(found, most),
    getScrollElement: () => scrolled,
    estimateSize: () => height,
    overscan: 8,
    onChange: (v) => {
      const seen = v.getVirtualItems();
      const from = Math.floor((seen[0]?.index ?? 0) / stretch);
      const to = Math.floor((seen.at(-1)?.index ?? 0) / stretch);
      const next = Array.from({ length: to - from + 1 }, (_, i) => from + i);
      setAt((now) => (now.join() === next.join() ? now : next));
    },
  });
  const rowAt = (i: number): NumberRow | undefined =>
    pages.find((p) => p.data && i >= p.data.from && i < p.data.from + p.data.rows.length)?.data?.rows[
      i - Math.floor(i / stretch) * stretch
    ];
  const failed = pages.find((p) => p.isError);
  const columns = narrow
    ? "grid-cols-[1rem_minmax(0,15rem)_6.5rem_minmax(0,1fr)]"
    : "grid-cols-[1rem_14rem_4rem_6.5rem_minmax(0,1.6fr)_minmax(0,1fr)_minmax(0,1fr)_minmax(0,1fr)_6rem]";
  const head = (sort: Sort, word: string) => (
    <SortHead key={sort} sort={sort} word={word} ask={ask} onSort={onSort} />
  );
  return (
    <>
      {failed && <Failure error={failed.error} retry={() => failed.refetch()} />}
      <div className={`grid gap-3 border-b border-line px-4 py-1 text-dense ${columns}`}>
        <span>
          <span className="sr-only">Select</span>
        </span>
        {head("number", "Number")}
        {!narrow && <span className="text-right text-soft">Size</span>}
        {head("state", "State")}
        {head("destination", "Destination")}
        {!narrow && head("carrier", "Carrier")}
        {!narrow && head("site", "Site")}
        {!narrow && head("owner", "Owner")}
        {!narrow && <span className="text-right text-soft">Last call</span>}
      </div>
      <div ref={setScrolled} className="min-h-0 flex-1 overflow-auto">
        {first && found === 0 && <p className="p-4 text-soft">No matching number. Clear a filter.</p>}
        <ol
          aria-label="Numbers found"
          className="relative"
          style={{ height: rows.getTotalSize() }}
          onKeyDown={(e) =>
            walkRows(e, (end) => rows.scrollToIndex(end === "first" ? 0 : Math.min(found, most) - 1))
          }
        >
          {rows.getVirtualItems().map((v) => {
            const row = rowAt(v.index);
            return (
              <li
                key={v.key}
                aria-posinset={v.index + 1}
                aria-setsize={found}
                className="absolute inset-x-0 top-0"
                style={{ transform: `translateY(${v.start}px)`, height }}
              >
                {row ? (
                  <Row
                    row={row}
                    plan={plan}
                    columns={columns}
                    narrow={narrow}
                    chosen={row.id === chosen}
                    selected={selected.has(row.id)}
                    onSelect={(on) => {
                      const next = new Set(selected);
                      if (on) next.add(row.id);
                      else next.delete(row.id);
                      onSelect(next);
                    }}
                  />
                ) : (
                  <span className="px-4 text-soft">…</span>
                )}
              </li>
            );
          })}
        </ol>
        {found > most && (
          <p className="p-4 text-soft">
            The first {most.toLocaleString("en-GB")} of {found.toLocaleString("en-GB")} are listed; search for
            others.
          </p>
        )}
      </div>
      <p className="border-t border-line px-4 py-1 text-dense text-soft" role="status">
        {found.toLocaleString("en-GB")} found
      </p>
    </>
  );
}

interface SortProps {
  sort: Sort;
  word: string;
  ask: NumberAsk;
  onSort: Props["onSort"];
}

function SortHead({ sort, word, ask, onSort }: SortProps) {
  const by = (ask.sort ?? "number") === sort;
  const Arrow = ask.down ? ArrowDown : ArrowUp;
  return (
    <button
      type="button"
      className={`flex min-w-0 items-center gap-1 text-left ${by ? "font-semibold" : "text-soft"}`}
      onClick={() => onSort(sort, by ? !ask.down : false)}
      aria-label={`Sort by ${word.toLowerCase()}${by ? (ask.down ? ", now downwards" : ", now upwards") : ""}`}
    >
      {word}
      {by && <Arrow className="size-3.5" aria-hidden="true" />}
    </button>
  );
}

interface RowProps {
  row: NumberRow;
  plan: Plan;
  columns: string;
  narrow: boolean;
  chosen: boolean;
  selected: boolean;
  onSelect: (on: boolean) => void;
}

function Row({ row, plan, columns, narrow, chosen, selected, onSelect }: RowProps) {
  const n = row.number;
  const carrier = plan.farEnds.find((f) => f.id === n.carrier)?.name ?? n.carrier;
  return (
    <div
      aria-current={chosen ? "true" : undefined}
      title={n.note}
      className={`relative grid h-full items-center gap-3 border-b border-line px-4 hover:bg-road-wash aria-[current=true]:bg-road-wash ${columns}`}
    >
      <input
        type="checkbox"
        className="relative z-10"
        aria-label={`Select ${nameOf(n)}`}
        checked={selected}
        onChange={(e) => onSelect(e.target.checked)}
      />
      {/* The link covers its row. */}
      <Link to={`/numbers/${row.id}`} data-row className="truncate after:absolute after:inset-0">
        <Digits number={n.first} />
        {n.last && <span className="font-mono text-soft"> – {endOf(n)}</span>}
      </Link>
      {!narrow && (
        <span className="text-right font-mono text-dense text-soft">{n.last ? sizeOf(n) : ""}</span>
      )}
      <StateMark tone={toneOf[n.state]} word={n.state} quiet={n.state === "active"} />
      <span className="flex min-w-0 items-baseline gap-2">
        {row.answers ? (
          <span className="truncate">{row.answers}</span>
        ) : (
          <span className="text-bad">none</span>
        )}
        {n.extension && <span className="font-mono text-dense text-soft">{n.extension}</span>}
      </span>
      {!narrow && <span className="truncate">{carrier}</span>}
      {!narrow && <span className="truncate">{n.site}</span>}
      {!narrow && <span className="truncate">{n.owner}</span>}
      {!narrow && (
        <span className="text-right text-dense text-soft">{row.last ? ago(row.last) : "none yet"}</span>
      )}
    </div>
  );
}
