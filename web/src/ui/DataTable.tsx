import {
  type ColumnDef,
  getCoreRowModel,
  getFilteredRowModel,
  getSortedRowModel,
  type Row,
  type SortingState,
  type Table,
  useReactTable,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp } from "lucide-react";
import { type KeyboardEvent, type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { walkRows } from "@/lib/list";
import { useHiddenColumns } from "./columns";
import { TableBar } from "./TableBar";

/** A column: what its cells show, and how it is sorted, found and written to a file. */
export interface Column<T> {
  id: string;
  /** At most four words. */
  head: string;
  /** The whole name or the unit, where the head is short for it. */
  title?: string;
  /** A CSS grid track, such as "6rem" or "minmax(8rem,2fr)". */
  width: string;
  right?: boolean;
  cell: (row: T) => ReactNode;
  /** What a search looks at and a file holds; a column without it has neither. */
  text?: (row: T) => string;
  /** What is sorted by, where that is not the text. Undefined comes last. */
  sort?: (row: T) => string | number | undefined;
  /** Not shown until it is chosen. */
  spare?: boolean;
}

interface Props<T> {
  /** Names the table in what the browser keeps, and its file. */
  name: string;
  label: string;
  rows: T[];
  columns: Column<T>[];
  keyOf: (row: T) => string;
  onOpen?: (row: T) => void;
  current?: string;
  /** Rows that must not be overlooked. */
  tone?: (row: T) => "bad" | "warn" | "draft" | undefined;
  /** The rows come from the server in its order; more asks for the next ones. */
  served?: { more?: () => void; exhausted: boolean; search?: ReactNode };
  /** Filters and buttons before the search. */
  children?: ReactNode;
  empty: ReactNode;
  /** Further attributes of a row, by which tests find it. */
  attributes?: (row: T) => Record<`data-${string}`, string>;
  /** Keys pressed on a row, beside those that walk the table. */
  onKey?: (event: KeyboardEvent<HTMLElement>, row: T) => void;
  /** What can be done with several rows at once. */
  bulk?: (chosen: T[], clear: () => void) => ReactNode;
}

const rowHeight = 28;
/** From how many rows before the end more are asked for. */
const ahead = 40;

/** The one table: any number of rows, sorted, searched, chosen and saved, by mouse or keyboard. */
export function DataTable<T>(props: Props<T>) {
  const { rows, columns, keyOf, served, name } = props;
  const [sorting, setSorting] = useState<SortingState>([]);
  const [search, setSearch] = useState("");
  const [chosen, setChosen] = useState<Record<string, boolean>>({});
  const [hidden, setHidden] = useHiddenColumns(
    name,
    columns.filter((c) => c.spare).map((c) => c.id),
  );
  const defs = useMemo(() => columns.map((c) => definition(c, !served)), [columns, served]);
  const table = useReactTable({
    data: rows,
    columns: defs,
    getRowId: keyOf,
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
    getFilteredRowModel: getFilteredRowModel(),
    globalFilterFn: everyWord,
    getColumnCanGlobalFilter: (c) => c.accessorFn !== undefined,
    enableRowSelection: props.bulk !== undefined,
    state: {
      sorting,
      globalFilter: search,
      rowSelection: chosen,
      columnVisibility: Object.fromEntries(hidden.map((id) => [id, false])),
    },
    onSortingChange: setSorting,
    onRowSelectionChange: setChosen,
    sortDescFirst: false,
  });
  const shown = columns.filter((c) => !hidden.includes(c.id));
  const list = table.getRowModel().rows;
  const selected = table.getSelectedRowModel().rows.map((r) => r.original);
  return (
    <section aria-label={props.label} className="flex min-h-0 flex-1 flex-col">
      <TableBar
        name={name}
        columns={columns}
        hidden={hidden}
        onHidden={setHidden}
        search={served ? undefined : search}
        onSearch={setSearch}
        searchServed={served?.search}
        shown={list.map((r) => r.original)}
        all={rows.length}
        exhausted={served?.exhausted ?? true}
        bulk={selected.length > 0 ? props.bulk?.(selected, () => setChosen({})) : undefined}
        chosen={selected.length}
      >
        {props.children}
      </TableBar>
      <Grid {...props} table={table} list={list} shown={shown} />
    </section>
  );
}

function definition<T>(c: Column<T>, sortable: boolean): ColumnDef<T> {
  const text = c.text;
  return {
    id: c.id,
    accessorFn: text ?? (c.sort && ((row: T) => String(c.sort?.(row) ?? ""))),
    enableSorting: sortable && (c.sort ?? text) !== undefined,
    enableGlobalFilter: text !== undefined,
    sortUndefined: "last",
    sortingFn: (a, b) => compare(by(c, a.original), by(c, b.original)),
  } as ColumnDef<T>;
}

const by = <T,>(c: Column<T>, row: T) => (c.sort ? c.sort(row) : c.text?.(row));

const collator = new Intl.Collator("en-GB", { numeric: true, sensitivity: "base" });

function compare(a: string | number | undefined, b: string | number | undefined): number {
  if (a === undefined || b === undefined) return Number(a === undefined) - Number(b === undefined);
  return typeof a === "number" && typeof b === "number" ? a - b : collator.compare(String(a), String(b));
}

/** A row is found if each word stands in one of its columns. */
function everyWord<T>(row: Row<T>, _column: string, search: string): boolean {
  const text = row
    .getAllCells()
    .filter((c) => c.column.columnDef.enableGlobalFilter)
    .map((c) => String(c.getValue() ?? ""))
    .join("\n")
    .toLowerCase();
  return search
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

interface GridProps<T> extends Props<T> {
  table: Table<T>;
  list: Row<T>[];
  shown: Column<T>[];
}

function Grid<T>(props: GridProps<T>) {
  const { table, list, shown, served, onOpen, current, tone, label, empty, rows, bulk } = props;
  const [scrolled, setScrolled] = useState<HTMLElement | null>(null);
  const [active, setActive] = useState(0);
  const anchor = useRef(0);
  const virtual = useVirtualizer({
    count: list.length,
    getScrollElement: () => scrolled,
    estimateSize: () => rowHeight,
    overscan: 20,
    scrollPaddingStart: rowHeight,
  });
  const drawn = virtual.getVirtualItems();
  const last = drawn.at(-1)?.index ?? 0;
  const more = served?.more;
  useEffect(() => {
    if (more && last >= list.length - ahead) more();
  }, [more, last, list.length]);
  const tracks = `${bulk ? "2rem " : ""}${shown.map((c) => c.width).join(" ")}`;
  const at = current === undefined ? -1 : list.findIndex((r) => r.id === current);
  useEffect(() => {
    if (scrolled && at >= 0) virtual.scrollToIndex(at, { align: "auto" });
  }, [scrolled, at, virtual]);
  const keys = (e: KeyboardEvent<HTMLElement>, row: Row<T>) => {
    if (e.target !== e.currentTarget) return;
    props.onKey?.(e, row.original);
    if (e.key === "Enter" && onOpen) onOpen(row.original);
    if (e.key === " " && bulk) {
      e.preventDefault();
      row.toggleSelected();
    }
  };
  return (
    <div ref={setScrolled} className="min-h-0 flex-1 overflow-auto">
      <table
        aria-label={label}
        aria-rowcount={list.length + 1}
        className="block min-w-fit"
        onKeyDown={(e) => walkRows(e, (end) => virtual.scrollToIndex(end === "first" ? 0 : list.length - 1))}
      >
        <thead className="sticky top-0 z-10 block border-b border-line bg-sunk">
          <tr className="grid h-7 items-center px-2" style={{ gridTemplateColumns: tracks }}>
            {bulk && (
              <th className="flex items-center">
                <input
                  type="checkbox"
                  aria-label="Select all rows"
                  checked={table.getIsAllRowsSelected()}
                  onChange={table.getToggleAllRowsSelectedHandler()}
                />
              </th>
            )}
            {shown.map((c) => (
              <Head key={c.id} column={c} table={table} />
            ))}
          </tr>
        </thead>
        <tbody className="relative block" style={{ height: virtual.getTotalSize() }}>
          {drawn.map((v) => {
            const row = list[v.index] as Row<T>;
            return (
              <tr
                key={row.id}
                data-row
                {...props.attributes?.(row.original)}
                aria-rowindex={v.index + 2}
                aria-selected={bulk ? row.getIsSelected() : undefined}
                aria-current={row.id === current ? "true" : undefined}
                tabIndex={v.index === Math.min(active, list.length - 1) ? 0 : -1}
                onFocus={() => setActive(v.index)}
                onClick={(e) => {
                  if (!(e.target as HTMLElement).closest("a,button,input,select,label"))
                    onOpen?.(row.original);
                }}
                onKeyDown={(e) => keys(e, row)}
                className={`absolute inset-x-0 top-0 grid items-center border-b border-line px-2 aria-[current=true]:bg-road-wash aria-selected:bg-road-wash ${
                  onOpen ? "cursor-pointer hover:bg-road-wash" : ""
                } ${tones[tone?.(row.original) ?? "none"]}`}
                style={{
                  transform: `translateY(${v.start}px)`,
                  height: rowHeight,
                  gridTemplateColumns: tracks,
                }}
              >
                {bulk && (
                  <td className="flex items-center">
                    <input
                      type="checkbox"
                      tabIndex={-1}
                      aria-label="Select row"
                      checked={row.getIsSelected()}
                      onChange={() => row.toggleSelected()}
                      onClick={(e) => {
                        if (e.shiftKey) selectRange(list, anchor.current, v.index, !row.getIsSelected());
                        anchor.current = v.index;
                      }}
                    />
                  </td>
                )}
                {shown.map((c) => (
                  <td
                    key={c.id}
                    className={`min-w-0 truncate px-2 ${c.right ? "text-right tabular-nums" : ""}`}
                  >
                    {c.cell(row.original)}
                  </td>
                ))}
              </tr>
            );
          })}
        </tbody>
        {served && !served.exhausted && <p className="p-2 text-soft">Reading more …</p>}
      </table>
      {list.length === 0 && (
        <div className="p-4 text-soft">{rows.length > 0 ? "No matching row. Clear a filter." : empty}</div>
      )}
    </div>
  );
}

const tones = {
  bad: "shadow-[inset_3px_0_var(--bad)]",
  draft: "shadow-[inset_3px_0_var(--draft)]",
  warn: "shadow-[inset_3px_0_var(--warn)]",
  none: "",
};

function selectRange<T>(list: Row<T>[], from: number, to: number, on: boolean) {
  for (let i = Math.min(from, to); i <= Math.max(from, to); i++) {
    if (i !== to) list[i]?.toggleSelected(on);
  }
}

function Head<T>({ column: c, table }: { column: Column<T>; table: Table<T> }) {
  const column = table.getColumn(c.id);
  const sorted = column?.getIsSorted();
  const look = `flex min-w-0 items-center gap-1 px-2 text-dense ${c.right ? "justify-end" : ""}`;
  const Arrow = sorted === "desc" ? ArrowDown : ArrowUp;
  return (
    <th
      aria-sort={sorted ? (sorted === "asc" ? "ascending" : "descending") : undefined}
      title={c.title}
      className="min-w-0 text-left font-normal"
    >
      {column?.getCanSort() ? (
        <button
          type="button"
          className={`w-full ${look} ${sorted ? "font-semibold" : "text-soft hover:text-ink"}`}
          onClick={() => column.toggleSorting(sorted === "asc")}
        >
          {sorted && c.right && <Arrow className="size-3.5 shrink-0" aria-hidden="true" />}
          <span className="truncate">{c.head}</span>
          {sorted && !c.right && <Arrow className="size-3.5 shrink-0" aria-hidden="true" />}
        </button>
      ) : (
        <span className={`${look} text-soft`}>
          <span className="truncate">{c.head}</span>
        </span>
      )}
    </th>
  );
}
