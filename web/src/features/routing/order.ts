import type { Placed, Rule, Table } from "@/api/client";

/** A rule, its place in the list, and the rule that it precedes and why. */
export interface Ordered {
  rule: Rule;
  listed: number;
  before?: Rule;
  example?: string;
}

/** The rules of a table in match order. */
export function inOrder(table: Table, order?: Placed[]): Ordered[] {
  const places = new Map(table.rules.map((r, i) => [r.id, i]));
  const find = (id?: string) => (id === undefined ? undefined : table.rules[places.get(id) ?? -1]);
  const placed = order ?? table.rules.map((r): Placed => ({ rule: r.id }));
  return placed.flatMap((p) => {
    const rule = find(p.rule);
    if (!rule) return []; // deleted since the order was read
    return [{ rule, listed: places.get(p.rule) ?? 0, before: find(p.before), example: p.example }];
  });
}

/**
 * The rule at a place that another can change places with. As listed, that is its
 * neighbour of the same sort: catch-all rules follow all others. Specific first orders
 * by itself, and the list is what is moved in.
 */
export function movable(rules: Ordered[], table: Table, place: number, moving: Ordered): string | undefined {
  if (table.order === "specific-first") {
    const step = place - rules.findIndex((r) => r.rule.id === moving.rule.id);
    return table.rules[moving.listed + step]?.id;
  }
  const next = rules[place]?.rule;
  return next && (next.catchAll ?? false) === (moving.rule.catchAll ?? false) ? next.id : undefined;
}
