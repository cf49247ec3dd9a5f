import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { sources } from "./sources";

const css = readFileSync("src/index.css", "utf8");

/** The colours of a theme, from the one place that has them. */
function colours(selector: string): Record<string, string> {
  const block = css.slice(css.indexOf(`${selector} {`)).split("}")[0] ?? "";
  return Object.fromEntries([...block.matchAll(/--([a-z0-9-]+): (#[0-9a-f]{6});/g)].map((m) => [m[1], m[2]]));
}

/** Relative luminance and contrast ratio as WCAG 2.2 defines them ("relative luminance", "contrast ratio"). */
function luminance(hex: string): number {
  const [r, g, b] = [1, 3, 5].map((at) => {
    const c = Number.parseInt(hex.slice(at, at + 2), 16) / 255;
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
  }) as [number, number, number];
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}
function contrast(a: string, b: string): number {
  const [light, dark] = [luminance(a), luminance(b)].sort((x, y) => y - x) as [number, number];
  return (light + 0.05) / (dark + 0.05);
}

const grounds = ["paper", "sheet", "sunk"];
/** Text on its grounds: 4.5:1 (WCAG 2.2, 1.4.3). */
const texts: [string, string[]][] = [
  ["ink", [...grounds, "road-wash", "draft-wash", "good-wash", "bad-wash", "added-wash", "warn-wash"]],
  ["soft", grounds],
  ["road", [...grounds, "road-wash"]],
  ["road-ink", ["road"]],
  ["sheet", ["bad"]],
  ["draft", [...grounds, "draft-wash"]],
  ["warn", [...grounds, "warn-wash"]],
  ["good", [...grounds, "good-wash"]],
  ["bad", [...grounds, "bad-wash"]],
  ["added", [...grounds, "added-wash"]],
  ...[1, 2, 3, 4, 5, 6].map((n): [string, string[]] => [`category-${n}`, [...grounds, `category-${n}-wash`]]),
];
/** What is drawn and carries meaning, borders of fields and the road of a trail: 3:1 (1.4.11). */
const shapes: [string, string[]][] = [
  ["edge", grounds],
  ["focus", grounds],
];

describe("the colours of both themes", () => {
  it("knows the extremes of the scale", () => {
    expect(contrast("#000000", "#ffffff")).toBeCloseTo(21, 5);
    expect(contrast("#777777", "#ffffff")).toBeCloseTo(4.48, 2); // just below 4.5, from memory
  });
  for (const [theme, selector] of [
    ["light", ":root"],
    ["dark", '[data-theme="dark"]'],
  ] as const) {
    const of = colours(selector);
    const cases = [
      ...texts.map((t) => [...t, 4.5] as const),
      ...shapes.map((s) => [...s, 3] as const),
    ].flatMap(([front, backs, least]) => backs.map((back) => [front, back, least] as const));
    it.each(cases)(`${theme}: %s on %s is at least %s:1`, (front, back, least) => {
      expect(of[front], front).toBeDefined();
      expect(of[back], back).toBeDefined();
      expect(contrast(of[front] as string, of[back] as string)).toBeGreaterThanOrEqual(least);
    });
  }
});

describe("sizes", () => {
  it("uses the four sizes of type, and no other", () => {
    const others = sources().flatMap(({ name, text }) =>
      [...text.matchAll(/(?<![\w-])text-(\[\d[^\]]*\]|xs|sm|base|lg|\d?xl)(?![\w-])/g)].map(
        (m) => `${name}: ${m[0]}`,
      ),
    );
    expect(others).toEqual([]);
  });
  it("places everything on a grid of 4 px", () => {
    const off = sources().flatMap(({ name, text }) =>
      [
        ...text.matchAll(
          /(?<![\w-])-?(?:[pm][xytblr]?|gap(?:-[xy])?|space-[xy]|[wh])-(?:\d+\.5|\[(\d+)px\])(?![\w-])/g,
        ),
      ]
        .filter((m) => !m[1] || Number(m[1]) % 4 > 0)
        .map((m) => `${name}: ${m[0]}`),
    );
    expect(off).toEqual([]);
  });
});
