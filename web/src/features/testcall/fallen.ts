import type { Collection } from "@/api/client";

/** A rule that a key put out of the running. */
export interface Fallen {
  id: string;
  name: string;
  pattern: string;
  table: { id: string; name: string };
}

const openIn = (c: Collection): Map<string, Fallen> =>
  new Map(
    c.tables.flatMap((t) =>
      t.rules
        .filter((r) => !r.catchAll)
        .map((r) => [
          `${t.table.id} ${r.rule.id}`,
          {
            id: r.rule.id,
            name: r.rule.name,
            pattern: r.pattern,
            table: { id: t.table.id, name: t.table.name },
          },
        ]),
    ),
  );

/**
 * The rules that were in the running before a key and are not after it. A table that the call
 * has left for another counts as it stood: only rules of tables that are still searched fall.
 */
export function fallenBetween(before: Collection, after: Collection): Fallen[] {
  const now = openIn(after);
  const searched = new Set(after.tables.map((t) => t.table.id));
  return [...openIn(before)]
    .filter(([key, f]) => !now.has(key) && searched.has(f.table.id))
    .map(([, f]) => f);
}

/** How many rules are in the running, catch-all rules aside; some may not be listed. */
export const openCount = (c: Collection): number => openIn(c).size + c.tables.reduce((n, t) => n + t.more, 0);
