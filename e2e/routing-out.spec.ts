import { choose } from "./choose";
import AxeBuilder from "@axe-core/playwright";
import type { Page } from "@playwright/test";
import { expect, test } from "./demo";

const to = (page: Page, where: string) => page.goto(new URL(where, page.url()).href);

/** Dials dry by the draft. */
async function dry(page: Page, from: string, dial: string, more = "") {
  await to(page, `/test-call?plan=draft&from=${from}&dial=${encodeURIComponent(dial)}${more}`);
  await page.getByRole("button", { name: /Dry/ }).click();
  return page.getByRole("heading", { name: "Dry run" }).locator("..");
}

async function giveUp(page: Page) {
  await to(page, "/changes");
  await page.getByRole("button", { name: "Discard draft" }).click();
  await page.getByRole("button", { name: "Confirm: discard draft" }).click();
  await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible();
}

test("a local-first plan for calls out is built by the guide, with a second way for emergency calls", async ({ signedIn: page }) => {
  await test.step("a path that tries the local carrier first, and another", async () => {
    await to(page, "/plan/paths/new");
    await page.getByLabel("Name", { exact: true }).fill("Local first");
    await page.getByRole("combobox", { name: "Add" }).selectOption({ label: "Ostrel" });
    await page.getByRole("combobox", { name: "Add" }).selectOption({ label: "Penhallow" });
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await expect(page.getByText("saved, not live yet")).toBeVisible();
  });
  await test.step("rules are proposed, and looked at before they are taken", async () => {
    await to(page, "/outbound-setup");
    await page.getByLabel("Outside prefix").fill("0");
    await page.getByLabel("Name of the new table").fill("Guided outside");
    await page.getByLabel("Path for emergency calls").selectOption({ label: "Emergency" });
    await page.getByLabel("Path for local calls").selectOption({ label: "Local first" });
    await page.getByLabel("Path for national calls").selectOption({ label: "National" });
    await page.getByLabel("Calls show").fill("+441914980100");
    await page.getByLabel("Unallocated numbers").selectOption({ label: "Operator" });
    await page.getByRole("button", { name: "Propose rules" }).click();
    await expect(page.getByText("Quay extensions takes these already").first()).toBeVisible();
    await page.getByRole("button", { name: "Details of Emergency after 0" }).click();
    await expect(page.getByText("also after the outside prefix")).toBeVisible();
    // Each number is decided before and after, by what is chosen.
    const national = page.getByRole("row", { name: /^\s*00121/ });
    await expect(national).toContainText("via National, +44121");
    await page.getByLabel("Add National", { exact: true }).uncheck();
    await expect(national).not.toContainText("via National, +44121");
    await page.getByLabel("Add National", { exact: true }).check();
    await expect(national).toContainText("via National, +44121");
    // With every rule ticked nothing is left out, which is asked anew.
    const whole = page.waitForRequest((r) => r.url().endsWith("/api/guide/outbound") && r.postDataJSON().omit?.length === 0);
    const left = page.getByRole("checkbox", { name: /^Add /, checked: false });
    const names = await left.evaluateAll((boxes) => boxes.map((b) => b.getAttribute("aria-label") ?? ""));
    expect(names.length).toBeGreaterThan(0);
    for (const name of names) await page.getByLabel(name, { exact: true }).check();
    await whole;
    for (const name of names) await page.getByLabel(name, { exact: true }).uncheck();
    // The demo has a table for wrong numbers already.
    await page.getByLabel("Add Unallocated numbers").first().uncheck();
    await page.getByRole("button", { name: /Add \d+ to the draft/ }).click();
    await expect(page).toHaveURL(/\/routing\/guided-outside$/);
  });
  await test.step("it carries calls, and emergency calls go on where the first trunk is down", async () => {
    const local = await dry(page, "2001", "0 0191 498 0850");
    await expect(local).toContainText("answered");
    await expect(page.getByText("path Local first")).toBeVisible();
    const emergency = await dry(page, "2001", "0999", "&down=ostrel");
    await expect(emergency).toContainText("answered");
    await expect(page.getByText("Ostrel skipped: down")).toBeVisible();
    await expect(page.getByText("to Penhallow Voice").first()).toBeVisible();
  });
  await giveUp(page);
});

test("a rule that another hides is found beside its pattern, and mended", async ({ signedIn: page }) => {
  await to(page, "/routing/phones-out/new");
  await page.getByLabel("Name").fill("The pier");
  await page.getByLabel("Called pattern").fill("2150");
  await choose(page.getByLabel("Then"), "Operator");
  const effect = page.getByRole("region", { name: "What it does where it stands" });
  await expect(effect.getByText("never matches")).toBeVisible();
  await expect(effect.getByText(/its calls, for example to 2150, match Quay extensions first/)).toBeVisible();
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page.getByText("saved, not live yet")).toBeVisible();
  await expect(page.locator("[data-rule]").filter({ hasText: "The pier" }).getByText("never matches")).toBeVisible();

  // Specific first puts it before the wide one, and nothing hides it.
  await page.getByLabel("match order").selectOption("specific-first");
  await expect(page.locator("[data-rule]").filter({ hasText: "The pier" }).getByText("never matches")).toHaveCount(0);
  await expect(page.locator("[data-rule]").filter({ hasText: "The pier" })).toHaveAttribute("aria-rowindex", "3");
  await expect(effect.getByText("takes from")).toBeVisible();
  const { violations } = await new AxeBuilder({ page }).analyze();
  expect(violations.filter((v) => v.impact === "serious" || v.impact === "critical").map((v) => v.id)).toEqual([]);
  await giveUp(page);
});

test("a group is barred from paid numbers, and no broader rule lets it through", async ({ signedIn: page }) => {
  await test.step("a broad rule takes paid numbers too, and nobody has leave for them", async () => {
    await to(page, "/routing/outside/new");
    await page.getByLabel("Name").fill("All of Britain");
    await page.getByLabel("Called pattern").fill("0[1-9]xxxxxxxx.");
    await page.getByRole("button", { name: "Add a step" }).first().click();
    await page.getByLabel("Digit step").selectOption("interpret-as");
    await page.getByLabel("number format", { exact: true }).selectOption("national");
    await choose(page.getByLabel("Then"), "National");
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await expect(page.getByText("saved, not live yet")).toBeVisible();
    const said = await dry(page, "2150", "9 0909 879 0123");
    await expect(said).toContainText("rejected: 403, cause 21");
    await expect(page.getByText("Office: no permission for premium calls").first()).toBeVisible();
  });
  await test.step("leave is given in the matrix by the keyboard, and taken back", async () => {
    await to(page, "/permissions");
    const cell = page.getByRole("button", { name: "Office, premium calls: never", exact: true });
    await cell.focus();
    await page.keyboard.press(" ");
    await expect(page.getByRole("button", { name: "Office, premium calls: always", exact: true })).toBeVisible();
    await expect(await dry(page, "2150", "9 0909 879 0123")).toContainText("answered");
    // The crew is barred still, by the same rule.
    await expect(await dry(page, "2250", "9 0909 879 0123")).toContainText("rejected: 403, cause 21");
    await to(page, "/permissions");
    await page.getByRole("button", { name: "Office, premium calls: always", exact: true }).focus();
    await page.keyboard.press(" ");
    await expect(page.getByRole("button", { name: "Office, premium calls: never", exact: true })).toBeVisible();
  });
  await test.step("the narrow rule is taken out: the broad one refuses all the same", async () => {
    await to(page, "/routing/outside/outside-premium");
    await page.getByRole("button", { name: "Delete", exact: true }).click();
    await expect(page).toHaveURL(/\/routing\/outside$/);
    const said = await dry(page, "2150", "9 0909 879 0123");
    await expect(said).toContainText("rejected: 403, cause 21");
    await expect(page.getByText("All of Britain").first()).toBeVisible();
  });
  await giveUp(page);
});

test("checks run, go stale with an edit, and a try becomes one", async ({ signedIn: page }) => {
  await to(page, "/checks");
  await page.getByRole("button", { name: "Run all" }).click();
  await expect(page.getByRole("button", { name: "65 passed" })).toBeVisible();
  const said = await dry(page, "2345", "9 0191 498 0850");
  await expect(said).toContainText("answered");
  await page.getByRole("button", { name: "Keep as check" }).click();
  await page.getByLabel("Name of the check").fill("Sales to a local number");
  await page.keyboard.press("Enter");
  await page.getByRole("link", { name: "saved, see Checks" }).click();
  await expect(page.getByRole("button", { name: "1 not run since change" })).toBeVisible();
  await page.getByRole("button", { name: "Run changed" }).click();
  await expect(page.getByRole("button", { name: "66 passed" })).toBeVisible();

  await to(page, "/routing/outside/outside-mobile");
  await page.getByLabel("Note").fill("looked at");
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page.getByText("saved, not live yet")).toBeVisible();
  await to(page, "/checks");
  await expect(page.getByTitle(/changed since it ran: table outside/).first()).toBeVisible();
  await page.getByText(/rules matched by a passed check/).click();
  await expect(page.getByRole("list", { name: "Rules without a check" })).toContainText("From Harbourbox");
  await giveUp(page);
});

test("the keyboard alone presses digits, and builds and tries a rule", async ({ signedIn: page }) => {
  await to(page, "/test-call?how=digits&from=4123");
  await expect(page.getByText("waiting for the first digit")).toBeVisible();
  for (const key of "617555018") await page.keyboard.press(key);
  await expect(page.getByText("more digits needed").first()).toBeVisible();
  await page.keyboard.press("0");
  await expect(page.getByText("routed at once")).toBeVisible();
  for (let i = 0; i < 10; i++) await page.keyboard.press("Backspace");
  for (const key of "01144191498085") await page.keyboard.press(key);
  await expect(page.getByText("complete, waiting for more digits")).toBeVisible();

  await to(page, "/routing/phones-out/new");
  await page.getByLabel("Name").focus();
  await page.keyboard.type("The chandler");
  await page.keyboard.press("Tab");
  await page.keyboard.type("71xx");
  await expect(page.getByText("100 of 4 digits")).toBeVisible();
  await page.getByLabel("Then").focus();
  await page.keyboard.press("O");
  await expect(page.getByPlaceholder("Search", { exact: true })).toBeFocused();
  await page.keyboard.type("per");
  await page.keyboard.press("Enter");
  await expect(page.getByLabel("Then")).toHaveText("Operator");
  await page.keyboard.press("Control+s");
  await expect(page.getByText("saved, not live yet")).toBeVisible();
  await page.keyboard.press("Escape");
  await to(page, "/test-call?plan=draft&from=2001");
  await expect(page.getByLabel("Dial", { exact: true })).toBeFocused();
  await page.keyboard.type("7150");
  await page.keyboard.press("Enter");
  await expect(page.getByText("The chandler").first()).toBeVisible();
  await giveUp(page);
});
