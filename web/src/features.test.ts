import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { expect, test } from "vitest";

const features = path.resolve(import.meta.dirname, "features");

/** The features that a feature imports from. */
function importsOf(feature: string): Set<string> {
  const out = new Set<string>();
  for (const file of readdirSync(path.join(features, feature))) {
    const text = readFileSync(path.join(features, feature, file), "utf8");
    for (const [, other] of text.matchAll(/from "(?:@\/features|\.\.)\/([a-z]+)\//g)) {
      if (other && other !== feature) out.add(other);
    }
  }
  return out;
}

test("features import each other in one direction", () => {
  const all = new Map(readdirSync(features).map((f) => [f, importsOf(f)]));
  const walk = (feature: string, way: string[]) => {
    expect(way, `${[...way, feature].join(" -> ")} is a circle`).not.toContain(feature);
    for (const other of all.get(feature) ?? []) walk(other, [...way, feature]);
  };
  for (const feature of all.keys()) walk(feature, []);
});

test("what features share imports from none of them", () => {
  for (const folder of ["parts", "lib", "ui", "api"]) {
    const files = readdirSync(path.resolve(import.meta.dirname, folder), {
      recursive: true,
      encoding: "utf8",
    });
    for (const file of files.filter((f) => /\.tsx?$/.test(f))) {
      const text = readFileSync(path.resolve(import.meta.dirname, folder, file), "utf8");
      expect(text, `${folder}/${file}`).not.toContain("@/features/");
    }
  }
});

test("what is asked of the server has its key in one place", () => {
  const sources = readdirSync(import.meta.dirname, { recursive: true, encoding: "utf8" });
  const loose = sources.filter((file) => {
    if (!/\.tsx?$/.test(file) || file.includes(".test.") || file.endsWith("keys.ts")) return false;
    return /queryKey: \[|QueryData(<\w+>)?\(\[/.test(
      readFileSync(path.join(import.meta.dirname, file), "utf8"),
    );
  });
  expect(loose).toEqual([]);
});
