import { readFileSync } from "node:fs";
import path from "node:path";
import AxeBuilder from "@axe-core/playwright";
import { expect, test } from "./demo";

const demoPlan = path.resolve(import.meta.dirname, "..", "internal", "demo", "skerry-line.json");
const longName = "Abroad, with a name such as people write who want to say in it all that belongs into the note, to the last word";

/** The demo's plan with ten thousand rules in one table, some of them with very long names. */
function largePlan(): string {
  const plan = JSON.parse(readFileSync(demoPlan, "utf8"));
  const table = plan.tables[1];
  table.order = "specific-first";
  // Catch-all rules would stand at the end.
  table.rules = table.rules.filter((r: { catchAll?: boolean }) => !r.catchAll);
  for (let i = table.rules.length; i < 10_000; i++) {
    table.rules.push({
      id: `rule-${i}`,
      name: i % 50 === 0 ? `${longName} ${i}` : `Abroad ${i}`,
      match: { called: `00${String(i).padStart(5, "0")}x.` },
      then: { path: "abroad" },
    });
  }
  return JSON.stringify(plan);
}

test("a plan comes in by file, is reported first, and ten thousand rules are at hand", async ({ signedIn: page }) => {
  const file = (text: string) => ({ name: "plan.json", mimeType: "application/json", buffer: Buffer.from(text) });
  const input = page.locator("input[type=file]");

  await test.step("a file with faults is told by place, and the draft stays", async () => {
    await page.goto(new URL("/changes", page.url()).href);
    const bad = JSON.parse(readFileSync(demoPlan, "utf8"));
    bad.tables[1].rules[1].match.called = "0[1-3";
    await input.setInputFiles(file(JSON.stringify(bad)));
    await expect(page.getByText(/table Outside numbers, rule National/)).toBeVisible();
    await input.setInputFiles(file("{"));
    await expect(page.getByText(/not a plan document: .*line 1, column/)).toBeVisible();
    await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible();
  });

  await test.step("a good one says how it differs, and is the draft when told so", async () => {
    await input.setInputFiles(file(largePlan()));
    await expect(page.getByText(/It differs from the draft in 9995 places/)).toBeVisible();
    await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible();
    await page.getByRole("button", { name: "Make it the draft" }).click();
    await expect(page.getByText("draft: 9995 changes")).toBeVisible();
  });

  await test.step("the rules are walked to their end by keyboard; only some are drawn", async () => {
    const ordered = page.waitForResponse(/\/order$/);
    await page.goto(new URL("/routing/outside", page.url()).href);
    await ordered; // until then rules stand as they are listed
    await expect(page.getByRole("region", { name: /^Rules/ }).getByRole("status").first()).toHaveText("10,000");
    await page.locator("[data-row]").first().focus();
    await page.keyboard.press("End");
    await expect(page.locator("[data-rule=rule-9999]")).toBeVisible();
    await expect(page.locator("[data-rule=rule-9999]")).toBeFocused();
    expect(await page.locator("[data-rule]").count()).toBeLessThan(100);
    await page.keyboard.press("Enter");
    await expect(page).toHaveURL(/rule-9999$/);
    await page.goto(new URL("/routing/outside/rule-9950", page.url()).href);
    await expect(page.locator("[data-rule=rule-9950]")).toBeVisible();
    const { violations } = await new AxeBuilder({ page }).analyze();
    expect(violations.filter((v) => v.impact === "serious" || v.impact === "critical").map((v) => v.id)).toEqual([]);
  });

  await test.step("one is edited, found, and all is undone", async () => {
    await page.getByLabel("Called pattern").fill("009950xx");
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await expect(page.getByText("saved, not live yet")).toBeVisible();
    await page.keyboard.press("Control+k");
    await page.getByPlaceholder("Find a view, object").fill("009950xx");
    await expect(page.getByRole("option")).toHaveCount(1);
    await page.keyboard.press("Escape");
    for (const left of ["9995 changes", undefined]) {
      await page.getByRole("button", { name: "Undo edit" }).click();
      await expect(page.getByText(left ? `draft: ${left}` : "draft: no changes", { exact: left === undefined })).toBeVisible();
    }
  });
});
