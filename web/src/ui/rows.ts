import type { SortingState } from "@tanstack/react-table";
import { useMemo } from "react";
import type { Column } from "./DataTable";

function keyIn<T>(c: Column<T>, row: T) {
  return c.sort ? c.sort(row) : c.text?.(row);
}

const collator = new Intl.Collator("en-GB", { numeric: true, sensitivity: "base" });

function compare(a: string | number | undefined, b: string | number | undefined): number {
  if (a === undefined || b === undefined) return Number(a === undefined) - Number(b === undefined);
  return typeof a === "number" && typeof b === "number" ? a - b : collator.compare(String(a), String(b));
}

/** The rows in the order that the head of a column was pressed for; else as they came. */
export function useSorted<T>(rows: T[], columns: Column<T>[], sorting: SortingState): T[] {
  return useMemo(() => {
    const [by] = sorting;
    const column = by && columns.find((c) => c.id === by.id);
    if (!by || !column) return rows;
    const keyed = rows.map((row) => ({ row, key: keyIn(column, row) }));
    const turn = by.desc ? -1 : 1;
    keyed.sort((a, b) =>
      a.key === undefined || b.key === undefined ? compare(a.key, b.key) : turn * compare(a.key, b.key),
    );
    return keyed.map((k) => k.row);
  }, [rows, columns, sorting]);
}

/**
 * The rows in which each word of a search stands in some column. What is read of a row is made
 * once, so that the next key of a search over thousands of rows is quick.
 */
export function useFound<T>(rows: T[], columns: Column<T>[], search: string): T[] {
  // biome-ignore lint/correctness/useExhaustiveDependencies: other columns have other texts
  const texts = useMemo(() => new Map<T, string>(), [rows, columns]);
  return useMemo(() => {
    const words = search.toLowerCase().split(/\s+/).filter(Boolean);
    if (words.length === 0) return rows;
    return rows.filter((row) => {
      let text = texts.get(row);
      if (text === undefined) {
        text = columns
          .map((c) => c.text?.(row) ?? "")
          .join("\n")
          .toLowerCase();
        texts.set(row, text);
      }
      return words.every((word) => text.includes(word));
    });
  }, [rows, columns, search, texts]);
}
