import dagre from "@dagrejs/dagre";
import type { Network, RunningSwitch, RunningTrunk } from "@/api/client";

/**
 * Where everything stands in the drawing of the network: what is ours on the
 * left, the switches in the middle, the way out on the right. Computed, never
 * drawn by hand, so that it looks the same to everybody. Pure.
 */
export interface Drawing {
  width: number;
  height: number;
  places: Place[];
  roads: Road[];
}

/** A switch, or a far end. */
export interface Place extends Point {
  key: string;
  name: string;
  kind: string;
  note: string;
  switch?: RunningSwitch;
}

/** A connection with the trunks that are its ends: two between our own switches. */
export interface Road {
  key: string;
  trunks: RunningTrunk[];
  points: Point[];
  /** Where its sign stands. */
  sign: Point;
}

export interface Point {
  x: number;
  y: number;
}

export const sizes = {
  place: { width: 176, height: 64 },
  sign: { width: 218, height: 62 },
};

/** Kinds of far end that stand on the left: they are the organisation's own. */
const inside = new Set(["phone-system", "application"]);

export function drawNetwork({ switches, trunks }: Pick<Network, "switches" | "trunks">): Drawing {
  const graph = new dagre.graphlib.Graph({ multigraph: true });
  graph.setGraph({ rankdir: "LR", nodesep: 22, edgesep: 14, ranksep: 34, marginx: 12, marginy: 12 });
  const places = new Map<string, Omit<Place, keyof Point>>();
  for (const s of switches) {
    places.set(switchKey(s.id), {
      key: switchKey(s.id),
      name: s.name,
      kind: "switch",
      note: s.address,
      switch: s,
    });
  }
  const roads = new Map<string, RunningTrunk[]>();
  for (const t of trunks) {
    if (t.farEnd.kind === "switch") {
      const ends = [t.switch, t.farEnd.id].sort().join("=");
      roads.set(ends, [...(roads.get(ends) ?? []), t]);
      continue;
    }
    const key = farKey(t.farEnd.id);
    places.set(key, { key, name: t.farEnd.name, kind: t.farEnd.kind, note: t.farEnd.note });
    roads.set(t.id, [t]);
  }
  for (const key of places.keys()) graph.setNode(key, { ...sizes.place });
  for (const [key, ends] of roads) {
    const [from, to] = direction(ends[0] as RunningTrunk);
    graph.setEdge(from, to, { ...sizes.sign, labelpos: "c" }, key);
  }
  dagre.layout(graph);
  const { width = 0, height = 0 } = graph.graph();
  return {
    width,
    height,
    places: [...places.values()].map((p) => ({ ...p, ...at(graph.node(p.key)) })),
    roads: [...roads].map(([key, ends]) => {
      const [from, to] = direction(ends[0] as RunningTrunk);
      const edge = graph.edge({ v: from, w: to, name: key });
      return { key, trunks: ends, points: edge.points.map(at), sign: at(edge as Point) };
    }),
  };
}

const switchKey = (id: string) => `switch ${id}`;
const farKey = (id: string) => `far ${id}`;
const at = ({ x, y }: Point): Point => ({ x: Math.round(x), y: Math.round(y) });

function direction(t: RunningTrunk): [from: string, to: string] {
  if (t.farEnd.kind === "switch") {
    const [a, b] = [t.switch, t.farEnd.id].sort();
    return [switchKey(a as string), switchKey(b as string)];
  }
  return inside.has(t.farEnd.kind)
    ? [farKey(t.farEnd.id), switchKey(t.switch)]
    : [switchKey(t.switch), farKey(t.farEnd.id)];
}

/** A road through its points, with round bends. */
export function roadPath(points: Point[]): string {
  const [first, ...rest] = points;
  if (!first) return "";
  const parts = [`M${first.x} ${first.y}`];
  rest.forEach((p, i) => {
    const next = rest[i + 1];
    parts.push(next ? `Q${p.x} ${p.y} ${(p.x + next.x) / 2} ${(p.y + next.y) / 2}` : `L${p.x} ${p.y}`);
  });
  return parts.join(" ");
}
