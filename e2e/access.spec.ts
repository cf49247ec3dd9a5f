import AxeBuilder from "@axe-core/playwright";
import { expect, test } from "./demo";

const paths = [
  "/network",
  "/trunks",
  "/routing/phones-out/phones-outside-quay",
  "/outbound-setup",
  "/permissions",
  "/numbers",
  "/calendars/bookings",
  "/trunks/ostrel",
  "/trunks/ostrel/settings",
  "/trunks/ostrel/routing",
  "/trunks/ostrel/calls",
  "/trunks/ostrel/history",
  "/plan/switches/quay",
  "/plan/farEnds/new",
  "/plan/paths/national",
  "/plan/destinations/operator",
  "/plan/callerGroups/managers",
  "/calendars/new",
  "/numbers/new",
  "/routing/phones-out/new",
  "/setup",
  "/test-call?from=2250&dial=9 020 7946 0850",
  "/test-call?how=digits&from=4123",
  "/test-call?how=list",
  "/checks",
  "/changes",
  "/active-calls",
  "/calls",
  "/blocked-sources",
];

for (const theme of ["light", "dark"] as const) {
  test(`nothing serious is found by axe, ${theme}`, async ({ signedIn: page }) => {
    await page.evaluate((t) => localStorage.setItem("switchback-theme", t), theme);
    for (const path of paths) {
      await page.goto(new URL(path, page.url()).href);
      await expect(page.getByText(/Live: revision/)).toBeVisible();
      if (path.startsWith("/test-call?from")) {
        await page.getByRole("button", { name: /^Dry/ }).click();
        await expect(page.getByText("Crew: no permission for national calls").first()).toBeVisible();
      }
      // The dark theme differs by its colours alone.
      const axe = new AxeBuilder({ page });
      const { violations } = await (theme === "dark" ? axe.withRules("color-contrast") : axe).analyze();
      const serious = violations.filter((v) => v.impact === "serious" || v.impact === "critical");
      expect(serious.map((v) => `${path}: ${v.id}: ${v.nodes.map((n) => n.html).join(" ").slice(0, 400)}`)).toEqual([]);
    }
  });
}

test("the views are reached by their keys and the finder", async ({ signedIn: page }) => {
  const go = async (keys: string, to: RegExp) => {
    for (const key of keys) await page.keyboard.press(key);
    await expect(page).toHaveURL(to);
  };
  await go("gt", /\/calls$/);
  await go("gr", /\/routing/);
  const stages = page.getByRole("navigation", { name: "Stages" });
  await expect(stages.getByRole("list", { name: "Stops of Route" })).toBeVisible();
  await go("3", /\/numbers$/);
  await stages.getByRole("link", { name: /^Prove/ }).focus();
  await page.keyboard.press("ArrowRight");
  await expect(stages.getByRole("link", { name: /^Go live/ })).toBeFocused();
  await page.keyboard.press("ArrowDown");
  await expect(stages.getByRole("link", { name: "Numbers" })).toBeFocused();
  await page.keyboard.press("F6");
  await expect(stages.getByRole("link", { name: "Numbers" })).not.toBeFocused();
  await page.keyboard.press("Shift+F6");
  await expect(stages).toBeFocused();

  // Single keys can be switched off.
  await page.getByRole("button", { name: "Stages and keys" }).click();
  await page.getByLabel("Single keys").uncheck();
  await page.keyboard.press("Escape");
  await page.keyboard.press("1");
  await expect(page).toHaveURL(/\/numbers$/);
  await page.getByRole("button", { name: "Stages and keys" }).click();
  await page.getByLabel("Single keys").check();
  await page.keyboard.press("Escape");

  await page.keyboard.press("Control+k");
  await page.getByPlaceholder("Find a view, object").fill("freephone");
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/outside-freephone$/);

  // Typed digits offer what is known of the number; operations ask once more.
  await page.keyboard.press("Control+k");
  await page.getByPlaceholder("Find a view, object").fill("+44 191 498 0250");
  await expect(page.getByRole("option", { name: /Quay extensions Numbers/ }).first()).toBeVisible();
  await expect(page.getByRole("option", { name: /Calls with/ })).toBeVisible();
  await page.getByPlaceholder("Find a view, object").fill("9 0191 498 0850");
  await expect(page.getByRole("option", { name: /Rule National in Outside numbers/ })).toBeVisible();
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/\/test-call\?from=\d+&dial=901914980850$/);
  await page.keyboard.press("Control+k");
  await page.getByPlaceholder("Find a view, object").fill("drain penhallow");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("option", { name: "Confirm: Drain Penhallow" })).toBeVisible();
  await page.keyboard.press("Escape");
});

test("wide and narrow: nothing scrolls sideways", async ({ signedIn: page }) => {
  for (const width of [1280, 1920]) {
    await page.setViewportSize({ width, height: 900 });
    for (const path of paths) {
      await page.goto(new URL(path, page.url()).href);
      await expect(page.getByText(/Live: revision/)).toBeVisible();
      const over = await page.evaluate(() => {
        const main = document.getElementById("main");
        return main ? main.scrollWidth - main.clientWidth : -1;
      });
      expect(over, `${path} at ${width}`).toBeLessThanOrEqual(0);
    }
  }
});
