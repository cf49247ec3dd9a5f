import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect } from "react";
import { walkRows } from "@/lib/list";

interface Props<T> {
  items: T[];
  keyOf: (item: T) => string;
  /**
   * What scrolls: the list draws only the rows that are in sight there. It is
   * state, not a ref, since it is there only after the list was first drawn.
   */
  scrolled: HTMLElement | null;
  /** About how high a row is, in pixels; each is measured once it is drawn. */
  height: number;
  /** All rows are as high as that: none is measured. */
  fixed?: boolean;
  /** A row that is to be brought into sight. */
  shown?: number;
  label?: string;
  children: (item: T, index: number) => ReactNode;
}

/** A list of any length, walked by arrow keys, Home and End. */
export function VirtualList<T>({
  items,
  keyOf,
  scrolled,
  height,
  fixed,
  shown = -1,
  label,
  children,
}: Props<T>) {
  const rows = useVirtualizer({
    count: items.length,
    getScrollElement: () => scrolled,
    estimateSize: () => height,
    getItemKey: (i) => keyOf(items[i] as T),
    overscan: 12,
  });
  useEffect(() => {
    if (scrolled && shown >= 0) rows.scrollToIndex(shown, { align: "auto" });
  }, [shown, scrolled, rows]);
  return (
    <ol
      aria-label={label}
      onKeyDown={(e) => walkRows(e, (end) => rows.scrollToIndex(end === "first" ? 0 : items.length - 1))}
      className="relative"
      style={{ height: rows.getTotalSize() }}
    >
      {rows.getVirtualItems().map((v) => (
        <li
          key={v.key}
          ref={fixed ? undefined : rows.measureElement}
          data-index={v.index}
          aria-posinset={v.index + 1}
          aria-setsize={items.length}
          className="absolute inset-x-0 top-0"
          style={{ transform: `translateY(${v.start}px)`, height: fixed ? height : undefined }}
        >
          {children(items[v.index] as T, v.index)}
        </li>
      ))}
    </ol>
  );
}
