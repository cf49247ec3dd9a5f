import { readFileSync } from "node:fs";
import { parseAst } from "vite";
import { expect, test } from "vitest";
import { sources } from "./sources";

const retired = (
  JSON.parse(
    readFileSync("../internal/wording/retired.json", "utf8"), // the tests run in web/
  ) as { say: string; not: string[] }[]
).flatMap((r) => r.not.map((not) => ({ say: r.say, not: new RegExp(not, "i") })));

/** strings calls back with each string of a syntax tree that people may read. */
function strings(node: unknown, found: (text: string, start: number) => void) {
  if (Array.isArray(node)) for (const one of node) strings(one, found);
  if (node === null || typeof node !== "object" || Array.isArray(node)) return;
  const n = node as Record<string, unknown> & { type?: string; start: number };
  if (n.type?.startsWith("Import") || n.type?.startsWith("TS")) {
    const inner =
      n.type === "TSAsExpression" || n.type === "TSSatisfiesExpression" || n.type === "TSNonNullExpression";
    if (!inner) return;
  }
  if (n.type === "JSXAttribute" && (n.name as { name: string }).name === "className") return;
  if (n.type === "JSXText" || (n.type === "Literal" && typeof n.value === "string"))
    found(String(n.value), n.start);
  if (n.type === "TemplateElement") found((n.value as { cooked: string }).cooked, n.start);
  for (const [key, value] of Object.entries(n)) if (key !== "typeAnnotation") strings(value, found);
}

test("no retired word is shown", () => {
  const hits: string[] = [];
  for (const { name, text } of sources()) {
    const tree = parseAst(text, { lang: "tsx" });
    strings(tree.body, (shown, start) => {
      for (const r of retired) {
        const hit = r.not.exec(shown.replace(/\s+/g, " "));
        if (hit)
          hits.push(
            `${name}:${text.slice(0, start).split("\n").length}: "${hit[0]}" in "${shown.trim()}"; say: ${r.say}`,
          );
      }
    });
  }
  expect(hits).toEqual([]);
});
