import { expect, type Page, test } from "@playwright/test";

const folder = process.env.SHOTS ?? "../docs/screenshots";
const shot = (page: Page, name: string) => page.screenshot({ path: `${folder}/${name}.png` });

async function signIn(page: Page) {
  await page.goto("/");
  await page.getByLabel("Name").fill("engineer");
  await page.getByLabel("Password").fill(process.env.SIGN_IN ?? "");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("link", { name: /Trunks/ })).toBeVisible();
}

async function call(page: Page, dial: string, outcome: RegExp) {
  await page.goto(`/try?from=2001&dial=${encodeURIComponent(dial)}`);
  await page.getByRole("button", { name: /Call live/ }).click();
  await expect(page.getByRole("heading", { name: /Live call/ }).locator("..")).toContainText(outcome, { timeout: 60_000 });
  await expect(page.getByRole("button", { name: "Hang up" })).toHaveCount(0, { timeout: 60_000 });
}

test("pictures of the main views", async ({ page }) => {
  await page.goto("/");
  await expect(page.getByLabel("Name")).toBeVisible();
  await shot(page, "sign-in");
  await signIn(page);
  await call(page, "9 0191 498 0850", /answered/);
  await shot(page, "try-live");
  await call(page, "9 0191 498 0804", /answered/);
  await shot(page, "try-second-trunk");
  await call(page, "9 0191 498 0801", /failed/);
  await page.getByRole("link", { name: /Trunks/ }).click();
  await expect(page.getByText("answers OPTIONS").first()).toBeVisible();
  await page.getByText("Ostrel", { exact: true }).first().click();
  await shot(page, "trunks");
  await page.goto("/routing/phones-out/phones-outside-quay");
  await expect(page.getByText("shown on").first()).toBeVisible();
  await page.waitForTimeout(500);
  await shot(page, "routing");
  await page.goto("/calls");
  await expect(page.getByRole("row").nth(1)).toBeVisible();
  await shot(page, "calls");
  await page.goto("/try?from=2001&dial=95");
  await page.getByRole("button", { name: /^Dry/ }).click();
  await expect(page.getByText("no rule")).toBeVisible();
  await shot(page, "try-no-rule");
  await page.getByRole("button", { name: "Dark theme" }).click();
  await shot(page, "dark");
  await page.getByRole("button", { name: "Light theme" }).click();
});
