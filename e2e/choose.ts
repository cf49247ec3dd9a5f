import type { Locator } from "@playwright/test";

/** Chooses in a list: a short one is the browser's own, a long one opens with a search. */
export async function choose(field: Locator, label: string) {
  if ((await field.evaluate((e) => e.tagName)) === "SELECT") {
    await field.selectOption({ label });
    return;
  }
  await field.click();
  const page = field.page();
  await page.getByPlaceholder("Search", { exact: true }).fill(label);
  await page.getByRole("option", { name: label, exact: true }).first().click();
}
