import {
  type ColumnDef,
  getCoreRowModel,
  type SortingState,
  type Table,
  useReactTable,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp } from "lucide-react";
import {
  type KeyboardEvent,
  type ReactNode,
  type RefObject,
  useDeferredValue,
  useEffect,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
} from "react";
import { walkRows } from "@/lib/list";
import { useHiddenColumns } from "./columns";
import { DataRow, type Hands, type RowTone, rowHeight } from "./DataRow";
import { useFound, useSorted } from "./rows";
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
  tone?: (row: T) => RowTone | undefined;
  /** The rows come from the server in its order; more asks for the next ones. */
  served?: {
    more?: () => void;
    exhausted: boolean;
    search?: ReactNode;
    /** Where the server has all rows as CSV. */
    csv?: string;
  };
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

const none: never[] = [];
/** From how many rows before the end more are asked for. */
const ahead = 40;

/** The one table: any number of rows, sorted, searched, chosen and saved, by mouse or keyboard. */
export function DataTable<T>(props: Props<T>) {
  const { rows, columns, keyOf, served, name } = props;
  const [sorting, setSorting] = useState<SortingState>([]);
  const [search, setSearch] = useState("");
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [hidden, setHidden] = useHiddenColumns(
    name,
    columns.filter((c) => c.spare).map((c) => c.id),
  );
  const defs = useMemo(() => columns.map((c) => definition(c, !served)), [columns, served]);
  const list = useSorted(useFound(rows, columns, useDeferredValue(search)), columns, sorting);
  const table = useReactTable({
    // It keeps the state of columns. Rows are sorted and searched here: it would make an
    // object of each of them, and only few are drawn.
    data: none as T[],
    columns: defs,
    getCoreRowModel: getCoreRowModel(),
    manualSorting: true,
    state: { sorting, columnVisibility: Object.fromEntries(hidden.map((id) => [id, false])) },
    onSortingChange: setSorting,
    sortDescFirst: false,
  });
  const shown = useMemo(() => columns.filter((c) => !hidden.includes(c.id)), [columns, hidden]);
  const selection: Selection<T> = {
    has: (row) => chosen.has(keyOf(row)),
    all: (some) =>
      some.length > 0 && chosen.size >= some.length && some.every((row) => chosen.has(keyOf(row))),
    set: (some, on) =>
      setChosen((before) => {
        const next = new Set(before);
        for (const row of some) next[on ? "add" : "delete"](keyOf(row));
        return next;
      }),
  };
  const selected = chosen.size > 0 ? rows.filter(selection.has) : [];
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
        csvServed={served?.csv}
        shown={list}
        all={rows.length}
        exhausted={served?.exhausted ?? true}
        bulk={selected.length > 0 ? props.bulk?.(selected, () => setChosen(new Set())) : undefined}
        chosen={selected.length}
      >
        {props.children}
      </TableBar>
      <Grid {...props} table={table} list={list} shown={shown} selection={selection} />
    </section>
  );
}

function definition<T>(c: Column<T>, sortable: boolean): ColumnDef<T> {
  const text = c.text;
  return {
    id: c.id,
    accessorFn: text ?? (c.sort && ((row: T) => String(c.sort?.(row) ?? ""))),
    enableSorting: sortable && (c.sort ?? text) !== undefined,
  } as ColumnDef<T>;
}

/** Which rows are chosen. */
interface Selection<T> {
  has: (row: T) => boolean;
  all: (rows: T[]) => boolean;
  set: (rows: T[], on: boolean) => void;
}

interface GridProps<T> extends Props<T> {
  table: Table<T>;
  list: T[];
  shown: Column<T>[];
  selection: Selection<T>;
}

function Grid<T>(props: GridProps<T>) {
  const { table, list, shown, served, onOpen, current, tone, label, empty, rows, bulk, keyOf, selection } =
    props;
  const { attributes } = props;
  const [scrolled, setScrolled] = useState<HTMLElement | null>(null);
  const [active, setActive] = useState(0);
  const anchor = useRef(0);
  const virtual = useVirtualizer({
    count: list.length,
    getScrollElement: () => scrolled,
    estimateSize: () => rowHeight,
    overscan: 8,
    scrollPaddingStart: rowHeight,
  });
  const drawn = virtual.getVirtualItems();
  const last = drawn.at(-1)?.index ?? 0;
  const more = served?.more;
  useEffect(() => {
    if (more && last >= list.length - ahead) more();
  }, [more, last, list.length]);
  const tracks = `${bulk ? "2rem " : ""}${shown.map((c) => c.width).join(" ")}`;
  const at = current === undefined ? -1 : list.findIndex((r) => keyOf(r) === current);
  useEffect(() => {
    if (scrolled && at >= 0) virtual.scrollToIndex(at, { align: "auto" });
  }, [scrolled, at, virtual]);
  const hands = useHands<T>({
    focus: setActive,
    open: (e, row) => {
      if (!(e.target as HTMLElement).closest("a,button,input,select,label")) onOpen?.(row);
    },
    key: (e, row) => {
      if (e.target !== e.currentTarget) return;
      props.onKey?.(e, row);
      if (e.key === "Enter" && onOpen) onOpen(row);
      if (e.key === " " && bulk) {
        e.preventDefault();
        selection.set([row], !selection.has(row));
      }
    },
    choose: (row, on) => selection.set([row], on),
    span: (e, index, on) => {
      if (e.shiftKey) selection.set(between(list, anchor.current, index), on);
      anchor.current = index;
    },
  });
  return (
    // Without rows, which take the focus, the keyboard scrolls the whole.
    <div
      ref={setScrolled}
      className="min-h-0 flex-1 overflow-auto"
      {...(list.length === 0 && { tabIndex: 0, role: "group", "aria-label": label })}
    >
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
                  checked={selection.all(list)}
                  onChange={(e) => selection.set(list, e.target.checked)}
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
            const row = list[v.index] as T;
            const key = keyOf(row);
            return (
              <DataRow
                key={key}
                row={row}
                index={v.index}
                start={v.start}
                columns={shown}
                tracks={tracks}
                attributes={attributes}
                tone={tone?.(row)}
                current={key === current}
                chosen={bulk && selection.has(row)}
                reached={v.index === Math.min(active, list.length - 1)}
                opens={onOpen !== undefined}
                hands={hands}
              />
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

/** The latest of what is done on rows, in an object that stays the same. */
function useHands<T>(latest: Hands<T>): RefObject<Hands<T>> {
  const hands = useRef(latest);
  useLayoutEffect(() => {
    hands.current = latest;
  });
  return hands;
}

/** The rows from one place to another, whichever is first. */
const between = <T,>(list: T[], from: number, to: number): T[] =>
  list.slice(Math.min(from, to), Math.max(from, to) + 1);

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
