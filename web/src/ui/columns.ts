import { useState } from "react";

const keyOf = (table: string) => `switchback-hidden-columns-${table}`;

/** Which columns of a table are hidden, kept by the browser. */
export function useHiddenColumns(table: string, spare: string[]): [string[], (hidden: string[]) => void] {
  const [hidden, setHidden] = useState<string[]>(() => {
    const kept = localStorage.getItem(keyOf(table));
    return kept === null ? spare : kept.split(" ").filter(Boolean);
  });
  return [
    hidden,
    (next) => {
      localStorage.setItem(keyOf(table), next.join(" "));
      setHidden(next);
    },
  ];
}
