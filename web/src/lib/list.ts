import type { KeyboardEvent } from "react";

/**
 * Walks the rows of a list by arrow keys, Home and End. Rows are the elements
 * with data-row inside the list.
 */
export function walkRows(event: KeyboardEvent<HTMLElement>): void {
  const rows = [...event.currentTarget.querySelectorAll<HTMLElement>("[data-row]")];
  const at = rows.indexOf(document.activeElement as HTMLElement);
  const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: rows.length - 1 }[event.key];
  if (to === undefined || at < 0 || event.altKey) return;
  event.preventDefault();
  rows[Math.min(Math.max(to, 0), rows.length - 1)]?.focus();
}
