import type { KeyboardEvent } from "react";

/**
 * Walks the rows of a list by arrow keys, Home and End. Rows are the elements
 * with data-row inside the list. Of a list that draws only a part of its rows,
 * reach brings an end of it into sight before the row there is focused.
 */
export function walkRows(event: KeyboardEvent<HTMLElement>, reach?: (end: "first" | "last") => void): void {
  const list = event.currentTarget;
  const rows = rowsOf(list);
  const at = rows.indexOf(document.activeElement as HTMLElement);
  if (at < 0 || event.altKey) return;
  if (event.key === "Home" || event.key === "End") {
    event.preventDefault();
    const end = event.key === "Home" ? "first" : "last";
    reach?.(end);
    const focus = () =>
      rowsOf(list)
        .at(end === "first" ? 0 : -1)
        ?.focus();
    if (reach)
      requestAnimationFrame(() => requestAnimationFrame(focus)); // once it is drawn
    else focus();
    return;
  }
  const to = { ArrowDown: at + 1, ArrowUp: at - 1 }[event.key];
  if (to === undefined) return;
  event.preventDefault();
  rows[Math.min(Math.max(to, 0), rows.length - 1)]?.focus();
}

const rowsOf = (list: HTMLElement) => [...list.querySelectorAll<HTMLElement>("[data-row]")];
