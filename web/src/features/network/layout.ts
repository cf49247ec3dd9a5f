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
  sign: { width: 218, height: 44 },
  /** Of a connection between our own switches, which has two ends. */
  join: { width: 218, height: 88 },
};

/** Kinds of far end that stand on the left: they are the organisation's own. */
const inside = new Set(["phone-system", "application"]);

/** Between switches that stand one above the other, and around a join there. */
const gap = 22;

type Bare = Omit<Place, keyof Point>;

/** Switches that share a far end, and all that hangs off them. */
interface Group {
  places: Bare[];
  roads: RunningTrunk[];
}

/** A group that has been laid out, with (0, 0) at its own corner. */
interface Block extends Drawing {
  keys: Set<string>;
  /** Where its first switch stands: all blocks stand on one line of switches. */
  axis: number;
}

/** How wide the drawing grows before stacks go on below, in pixels: a screen of 1280. */
const widest = 1240;

export function drawNetwork({ switches, trunks }: Pick<Network, "switches" | "trunks">): Drawing {
  const joins = joinsOf(trunks);
  const blocks = inOrder(groups(switches, trunks).map(layBlock), joins);
  return shelve(stacksOf(blocks, joins).map((stack) => layStack(stack, joins)));
}

/** Blocks that stand below each other, on one line of switches. */
interface Stack extends Drawing {
  axis: number;
}

/** Blocks that are joined, directly or by others, make a stack; the others one each. */
function stacksOf(blocks: Block[], joins: Join[]): Block[][] {
  const stacks: Block[][] = [];
  for (const block of blocks) {
    const stack = stacks.find((s) => s.some((other) => joined(other, block, joins)));
    if (stack) stack.push(block);
    else stacks.push([block]);
  }
  return stacks;
}

/** Stacks beside each other, row by row. Those that have a row to themselves keep one line of switches. */
function shelve(stacks: Stack[]): Drawing {
  const rows: Stack[][] = [];
  for (const stack of stacks) {
    const row = rows.at(-1);
    const used = row?.reduce((width, s) => width + s.width, 0) ?? Number.POSITIVE_INFINITY;
    if (row && used + stack.width <= widest) row.push(stack);
    else rows.push([stack]);
  }
  const axis = Math.max(0, ...rows.filter((row) => row.length === 1).map(([only]) => only?.axis ?? 0));
  const drawing: Drawing = { width: 0, height: 0, places: [], roads: [] };
  for (const row of rows) {
    let x = row.length === 1 ? axis - (row[0]?.axis ?? 0) : 0;
    for (const stack of row) {
      add(drawing, stack, x, drawing.height);
      x += stack.width;
    }
    drawing.width = Math.max(drawing.width, x);
    drawing.height += Math.max(...row.map((s) => s.height));
  }
  return drawing;
}

/** Puts what was drawn by itself at its place. */
function add(drawing: Drawing, part: Drawing, x: number, y: number) {
  const move = (p: Point): Point => ({ x: p.x + x, y: p.y + y });
  drawing.places.push(...part.places.map((p) => ({ ...p, ...move(p) })));
  drawing.roads.push(...part.roads.map((r) => ({ ...r, points: r.points.map(move), sign: move(r.sign) })));
}

function layStack(blocks: Block[], joins: Join[]): Stack {
  const axis = Math.max(0, ...blocks.map((b) => b.axis));
  const drawing: Stack = { width: 0, height: 0, places: [], roads: [], axis };
  let y = 0;
  for (const [i, block] of blocks.entries()) {
    add(drawing, block, axis - block.axis, y);
    drawing.width = Math.max(drawing.width, block.width + axis - block.axis);
    y += block.height;
    // A join stands below the upper one of the blocks that it connects.
    const here = joins.filter(([a, b]) => upper(blocks, a, b) === i);
    if (here.length > 0) {
      here.forEach((join, k) => {
        const sign = { x: axis + k * (sizes.join.width + gap), y: y + sizes.join.height / 2 };
        drawing.roads.push({ key: `${join[0]}=${join[1]}`, trunks: join[2], points: [sign], sign });
        drawing.width = Math.max(drawing.width, sign.x + sizes.join.width / 2 + gap / 2);
      });
      y += sizes.join.height;
    }
  }
  drawing.height = y;
  for (const road of drawing.roads) {
    const join = joins.find(([a, b]) => road.key === `${a}=${b}`);
    if (!join) continue;
    const ends = [join[0], join[1]]
      .map((id) => drawing.places.find((p) => p.key === switchKey(id)))
      .filter((p) => p !== undefined)
      .sort((a, b) => a.y - b.y);
    road.points = [ends[0], road.sign, ends[1]].filter((p) => p !== undefined).map(at);
  }
  return drawing;
}

type Join = [one: string, other: string, ends: RunningTrunk[]];

/** The connections between our own switches, each once with both of its trunks. */
function joinsOf(trunks: RunningTrunk[]): Join[] {
  const joins = new Map<string, Join>();
  for (const t of trunks.filter((t) => t.farEnd.kind === "switch")) {
    const [a, b] = [t.switch, t.farEnd.id].sort() as [string, string];
    const join: Join = joins.get(`${a}=${b}`) ?? [a, b, []];
    join[2].push(t);
    joins.set(`${a}=${b}`, join);
  }
  return [...joins.values()];
}

/** The place in the list of the upper block of two switches. */
function upper(blocks: Block[], a: string, b: string): number {
  const places = [a, b].map((id) => blocks.findIndex((g) => g.keys.has(switchKey(id))));
  return Math.min(...places.filter((i) => i >= 0));
}

function groups(switches: RunningSwitch[], trunks: RunningTrunk[]): Group[] {
  const far = trunks.filter((t) => t.farEnd.kind !== "switch");
  const left = new Set(switches);
  const out: Group[] = [];
  while (left.size > 0) {
    const members = new Set([[...left][0] as RunningSwitch]);
    for (const one of members) {
      left.delete(one);
      const reached = new Set(far.filter((t) => t.switch === one.id).map((t) => t.farEnd.id));
      for (const other of left) {
        if (far.some((t) => t.switch === other.id && reached.has(t.farEnd.id))) members.add(other);
      }
    }
    const roads = far.filter((t) => [...members].some((s) => s.id === t.switch));
    const places = new Map<string, Bare>();
    for (const s of members) {
      places.set(switchKey(s.id), {
        key: switchKey(s.id),
        name: s.name,
        kind: "switch",
        note: s.address,
        switch: s,
      });
    }
    for (const { farEnd } of roads) {
      const key = farKey(farEnd.id);
      places.set(key, { key, name: farEnd.name, kind: farEnd.kind, note: farEnd.note });
    }
    out.push({ places: [...places.values()], roads });
  }
  return out;
}

function layBlock({ places, roads }: Group): Block {
  const graph = new dagre.graphlib.Graph({ multigraph: true });
  graph.setGraph({ rankdir: "LR", nodesep: 22, edgesep: 14, ranksep: 34, marginx: 12, marginy: gap / 2 });
  for (const { key } of places) graph.setNode(key, { ...sizes.place });
  for (const t of roads) {
    const [from, to] = direction(t);
    graph.setEdge(from, to, { ...sizes.sign, labelpos: "c" }, t.id);
  }
  dagre.layout(graph);
  const { width = 0, height = 0 } = graph.graph();
  const placed = places.map((p) => ({ ...p, ...at(graph.node(p.key)) }));
  return {
    width,
    height,
    keys: new Set(places.map((p) => p.key)),
    axis: placed.find((p) => p.switch)?.x ?? 0,
    places: placed,
    roads: roads.map((t) => {
      const [from, to] = direction(t);
      const edge = graph.edge({ v: from, w: to, name: t.id });
      return { key: t.id, trunks: [t], points: edge.points.map(at), sign: at(edge as Point) };
    }),
  };
}

/** Whether a trunk between our own switches connects two blocks. */
const joined = (a: Block, b: Block, joins: Join[]): boolean =>
  joins.some(
    ([x, y]) =>
      (a.keys.has(switchKey(x)) && b.keys.has(switchKey(y))) ||
      (a.keys.has(switchKey(y)) && b.keys.has(switchKey(x))),
  );

/** Blocks that are joined stand next to each other, as far as that goes. */
function inOrder(blocks: Block[], joins: Join[]): Block[] {
  const left = [...blocks];
  const out: Block[] = [];
  while (left.length > 0) {
    const last = out.at(-1);
    let i = last ? left.findIndex((b) => joined(last, b, joins)) : 0;
    if (i < 0) i = left.findIndex((b) => out.some((o) => joined(o, b, joins)));
    out.push(...left.splice(Math.max(0, i), 1));
  }
  return out;
}

const switchKey = (id: string) => `switch ${id}`;
const farKey = (id: string) => `far ${id}`;
const at = ({ x, y }: Point): Point => ({ x: Math.round(x), y: Math.round(y) });

/** Whether the far end of a trunk stands on the left, where its road begins. */
export const isInside = (t: RunningTrunk): boolean => inside.has(t.farEnd.kind);

function direction(t: RunningTrunk): [from: string, to: string] {
  return isInside(t)
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
