import { describe, expect, it } from "vitest";
import type { RunningSwitch, RunningTrunk } from "@/api/client";
import { drawNetwork, type Place, type Road, roadPath, sizes } from "./layout";

const sw = (id: string) => ({ id, name: id, address: "127.0.10.1:5060" }) as RunningSwitch;
const trunk = (id: string, on: string, far: string, kind: string) =>
  ({ id, name: id, switch: on, farEnd: { id: far, name: far, kind, note: "" } }) as RunningTrunk;

const sizeOf = (r: Road) => (r.trunks.length > 1 ? sizes.join : sizes.sign);
const overlap = (a: Place, b: Place) =>
  Math.abs(a.x - b.x) < sizes.place.width && Math.abs(a.y - b.y) < sizes.place.height;

describe("the drawing of the network", () => {
  const drawing = drawNetwork({
    switches: [sw("quay"), sw("cape")],
    trunks: [
      trunk("quay-phones", "quay", "quay-phones", "phone-system"),
      trunk("cape-phones", "cape", "cape-phones", "phone-system"),
      trunk("ostrel", "quay", "ostrel", "carrier"),
      trunk("penhallow", "quay", "penhallow", "carrier"),
      trunk("penhallow-2", "quay", "penhallow", "carrier"),
      trunk("to-cape", "quay", "cape", "switch"),
      trunk("to-quay", "cape", "quay", "switch"),
    ],
  });
  const place = (key: string) => drawing.places.find((p) => p.key === key) as Place;

  it("puts what is ours left of the switch and the carriers right", () => {
    const [phones, quay, carrier] = [place("far quay-phones"), place("switch quay"), place("far ostrel")];
    expect(phones.x).toBeLessThan(quay.x);
    expect(quay.x).toBeLessThan(carrier.x);
  });

  it("draws a connection of our own switches once, with both of its ends", () => {
    expect(drawing.roads.find((r) => r.trunks.length === 2)?.trunks.map((t) => t.id)).toEqual([
      "to-cape",
      "to-quay",
    ]);
    expect(drawing.roads).toHaveLength(6);
  });

  it("lets nothing overlap, and keeps all within its size", () => {
    for (const a of drawing.places) {
      expect(a.x + sizes.place.width / 2).toBeLessThanOrEqual(drawing.width);
      expect(a.y + sizes.place.height / 2).toBeLessThanOrEqual(drawing.height);
      for (const b of drawing.places) expect(a !== b && overlap(a, b)).toBe(false);
    }
    for (const a of drawing.roads) {
      for (const b of drawing.roads) {
        const height = (sizeOf(a).height + sizeOf(b).height) / 2;
        const close =
          Math.abs(a.sign.y - b.sign.y) < height && Math.abs(a.sign.x - b.sign.x) < sizes.sign.width;
        expect(a !== b && close).toBe(false);
      }
    }
  });

  it("stands our own switches on one line, with their join between them", () => {
    const [quay, cape] = [place("switch quay"), place("switch cape")];
    const join = drawing.roads.find((r) => r.trunks.length === 2) as Road;
    expect(quay.x).toBe(cape.x);
    const [top, bottom] = [quay, cape].sort((a, b) => a.y - b.y) as [Place, Place];
    expect(join.sign.y - sizes.join.height / 2).toBeGreaterThan(top.y);
    expect(join.sign.y + sizes.join.height / 2).toBeLessThan(bottom.y);
    expect(join.points).toHaveLength(3);
  });

  it("keeps switches together that share a far end, and joins them below", () => {
    const shared = drawNetwork({
      switches: [sw("a"), sw("b"), sw("c")],
      trunks: [
        trunk("a-x", "a", "x", "carrier"),
        trunk("b-x", "b", "x", "carrier"),
        trunk("a-b", "a", "b", "switch"),
        trunk("a-c", "a", "c", "switch"),
      ],
    });
    expect(shared.places).toHaveLength(4);
    expect(shared.roads.map((r) => r.key).sort()).toEqual(["a-x", "a=b", "a=c", "b-x"]);
    for (const r of shared.roads) expect(r.sign.x + sizeOf(r).width / 2).toBeLessThanOrEqual(shared.width);
  });

  it("is the same whenever it is drawn, and empty without switches", () => {
    expect(drawNetwork({ switches: [], trunks: [] }).places).toEqual([]);
  });

  it("draws roads through their points", () => {
    expect(roadPath([])).toBe("");
    expect(
      roadPath([
        { x: 0, y: 0 },
        { x: 10, y: 0 },
      ]),
    ).toBe("M0 0 L10 0");
    expect(
      roadPath([
        { x: 0, y: 0 },
        { x: 10, y: 0 },
        { x: 20, y: 10 },
      ]),
    ).toBe("M0 0 Q10 0 15 5 L20 10");
  });

  it("stands many switches beside each other, without overlap", () => {
    const many = Array.from({ length: 30 }, (_, i) => `switch-${i}`);
    const wide = drawNetwork({
      switches: many.map(sw),
      trunks: many.slice(0, 8).map((s, i) => trunk(`t-${i}`, s, `carrier-${i}`, "carrier")),
    });
    expect(wide.places).toHaveLength(38);
    expect(wide.width).toBeLessThanOrEqual(1240);
    expect(wide.height).toBeLessThan(30 * sizes.place.height);
    for (const a of wide.places) for (const b of wide.places) expect(a !== b && overlap(a, b)).toBe(false);
  });
});
