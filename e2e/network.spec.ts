import { expect, test } from "./demo";

test("the network shows a call being decided, and follows it", async ({ signedIn: page }) => {
  await page.goto(new URL("/network", page.url()).href);
  const network = page.getByRole("region", { name: "Network" });
  await expect(network.getByRole("link", { name: /Ostrel/ })).toContainText("responding");
  const running = page.getByRole("region", { name: "Active calls" });
  await expect(running).toContainText("No active calls");

  // Ostrel says 100 to this number and then nothing; Penhallow is second.
  const placed = await page.request.post(new URL("/api/test-calls", page.url()).href, {
    data: { mode: "live", plan: "live", from: "2001", called: "901914980806", talkSeconds: 30 },
  });
  expect(placed.ok()).toBe(true);
  const row = running.getByRole("row", { name: /901914980806|routing/ }).first();
  await expect(row).toContainText("routing");
  await expect(network.getByRole("link", { name: /Ostrel/ })).toContainText("1/30");
  await row.focus();
  await page.keyboard.press("Enter");
  await expect(page.getByText(/routing for/)).toBeVisible();
  const trail = page.getByRole("region", { name: "Call trail" });
  await expect(trail).toContainText("to Ostrel Carrier");
  await expect(trail).not.toContainText("to Penhallow Voice");
  await expect(trail).toContainText("to Penhallow Voice"); // nobody pressed anything
  await expect(page.getByText(/connected for/)).toBeVisible({ timeout: 20_000 });
  await expect(page.getByRole("region", { name: "Ladder" }).getByRole("button", { name: /CANCEL/ }).first()).toBeVisible();
  await page.goBack();
  await expect(running.getByRole("row", { name: /connected/ })).toContainText("PCMA/8000");
});

test("a browser that lost its connection says so and catches up", async ({ signedIn: page, context }) => {
  await page.goto(new URL("/routing/outside/outside-premium", page.url()).href);
  await expect(page.getByText("draft: no changes")).toBeVisible();
  await page.getByLabel("Name").fill("Premium, renamed");
  await context.setOffline(true);
  // A stream that is open stays open under the browser's own offline switch;
  // what is asked for fails, and that is what a person notices.
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page.getByText(/is not reachable/).first()).toBeVisible();
  await expect(page.getByLabel("Name")).toHaveValue("Premium, renamed");
  await context.setOffline(false);
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page.getByText("saved, not live yet")).toBeVisible();

  // Somebody else edits; this page is told.
  const other = await context.newPage();
  await other.goto(new URL("/changes", page.url()).href);
  await expect(other.getByText("draft: 1 change", { exact: true })).toBeVisible();
  await other.getByRole("button", { name: "Discard draft" }).click();
  await other.getByRole("button", { name: "Confirm: discard draft" }).click();
  await expect(page.getByText("draft: no changes")).toBeVisible();
});
