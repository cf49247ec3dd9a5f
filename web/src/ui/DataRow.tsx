import { type KeyboardEvent, type MouseEvent, memo, type RefObject } from "react";
import type { Column } from "./DataTable";

/** How high a row is, in pixels. */
export const rowHeight = 28;

export type RowTone = "bad" | "warn" | "draft";

/** What is done on a row, at its place in the list. */
export interface Hands<T> {
  focus: (index: number) => void;
  open: (event: MouseEvent<HTMLElement>, row: T) => void;
  key: (event: KeyboardEvent<HTMLElement>, row: T) => void;
  choose: (row: T, on: boolean) => void;
  /** A click on the box of a row: with Shift it chooses all rows since the last one. */
  span: (event: MouseEvent<HTMLElement>, index: number, on: boolean) => void;
}

interface Props<T> {
  row: T;
  index: number;
  start: number;
  columns: Column<T>[];
  tracks: string;
  attributes?: (row: T) => Record<`data-${string}`, string>;
  tone?: RowTone;
  current: boolean;
  /** Undefined where rows are not chosen. */
  chosen?: boolean;
  /** Tab leads to it. */
  reached: boolean;
  opens: boolean;
  /** Always the same object, so that a row is drawn again only when it changed. */
  hands: RefObject<Hands<T>>;
}

function Row<T>(props: Props<T>) {
  const { row, index, start, columns, tracks, chosen, hands, opens, tone } = props;
  return (
    <tr
      data-row
      {...props.attributes?.(row)}
      aria-rowindex={index + 2}
      aria-selected={chosen}
      aria-current={props.current ? "true" : undefined}
      tabIndex={props.reached ? 0 : -1}
      onFocus={() => hands.current.focus(index)}
      onClick={(e) => hands.current.open(e, row)}
      onKeyDown={(e) => hands.current.key(e, row)}
      className={`absolute inset-x-0 top-0 grid items-center border-b border-line px-2 contain-layout contain-paint contain-style aria-[current=true]:bg-road-wash aria-selected:bg-road-wash ${
        opens ? "cursor-pointer hover:bg-road-wash" : ""
      } ${tone ? tones[tone] : ""}`}
      style={{ transform: `translateY(${start}px)`, height: rowHeight, gridTemplateColumns: tracks }}
    >
      {chosen !== undefined && (
        <td className="flex items-center">
          <input
            type="checkbox"
            tabIndex={-1}
            aria-label="Select row"
            checked={chosen}
            onChange={() => hands.current.choose(row, !chosen)}
            onClick={(e) => hands.current.span(e, index, !chosen)}
          />
        </td>
      )}
      {columns.map((c) => (
        <td key={c.id} className={`min-w-0 truncate px-2 ${c.right ? "text-right tabular-nums" : ""}`}>
          {c.cell(row)}
        </td>
      ))}
    </tr>
  );
}

/** A row of a table. While the table scrolls, only the rows that come into sight are drawn. */
export const DataRow = memo(Row) as typeof Row;

const tones: Record<RowTone, string> = {
  bad: "shadow-[inset_3px_0_var(--bad)]",
  draft: "shadow-[inset_3px_0_var(--draft)]",
  warn: "shadow-[inset_3px_0_var(--warn)]",
};
