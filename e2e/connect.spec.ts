import { expect, stop, test } from "./demo";

test("a carrier that loses its power turns from proved to failing, and comes back", async ({ signedIn: page }) => {
  await page.goto(new URL("/trunks/ostrel", page.url()).href);
  const panel = page.getByRole("region", { name: "Trunk Ostrel" });
  const state = panel.locator("header");
  await expect(state).toContainText("responding");
  await expect(panel).toContainText("127.0.30.4");

  await panel.getByRole("button", { name: "Stop" }).click();
  await expect(state).toContainText("failing", { timeout: 30_000 });
  await expect(panel).toContainText("OPTIONS not answered");
  const placed = await page.request.post(new URL("/api/test-calls", page.url()).href, {
    data: { mode: "dry", plan: "live", from: "2001", called: "901914980850" },
  });
  expect(placed.ok()).toBe(true);
  await panel.getByRole("button", { name: "Start" }).click();
  await expect(state).toContainText("responding", { timeout: 30_000 });
  await expect(panel.getByRole("img", { name: /1 failure/ })).toBeVisible();

  // The other sections of its page.
  const section = (name: RegExp) => panel.getByRole("navigation").getByRole("link", { name }).click();
  await section(/^History/);
  await expect(panel.getByRole("region", { name: "States" })).toContainText("failing");
  await section(/^Routing/);
  await expect(panel.getByRole("region", { name: "Exposure" })).toContainText("No inbound call reaches");
  await section(/^Calls/);
  await expect(panel.getByRole("table", { name: "Call records" })).toBeVisible();
  await section(/^Settings/);
  await expect(panel.getByRole("form", { name: "trunk Ostrel" })).toBeVisible();
  await expect(page).toHaveURL(/\/trunks\/ostrel\/settings$/);
});

test("a straight test call passes the plan by", async ({ signedIn: page }) => {
  await page.goto(new URL("/trunks/ostrel", page.url()).href);
  const test = page.getByRole("region", { name: "Straight test call" });
  await test.getByLabel("Digits").fill("01914980850");
  await test.getByRole("button", { name: "Place call" }).click();
  await test.getByRole("link", { name: "Result" }).click();
  await expect(page.getByRole("heading", { name: /straight test call/ })).toBeVisible();
  await expect(page.getByText(/Unallocated/).first()).toBeVisible({ timeout: 20_000 }); // no contract put +44 in front
});

test("a trunk is taken out of service and put back at once", async ({ signedIn: page }) => {
  await page.goto(new URL("/trunks/tamarack", page.url()).href);
  const service = page.getByRole("region", { name: "Service" });
  await service.getByLabel("Reason").fill("works on the line");
  await service.getByRole("button", { name: "Drain" }).click();
  const state = page.getByRole("region", { name: "Trunk Tamarack" }).locator("header");
  await expect(state).toContainText("draining");
  await expect(page.getByText("works on the line", { exact: true })).toBeVisible();
  await service.getByRole("button", { name: "Put back into service" }).click();
  await expect(state).toContainText("responding");
});

test("a secret is made, shown once, and refused for an account of ours", async ({ signedIn: page }) => {
  await page.goto(new URL("/trunks/penhallow", page.url()).href);
  const accounts = page.getByRole("region", { name: "Accounts" });
  await expect(accounts).toContainText("registered");
  await accounts.getByRole("button", { name: "Change" }).click();
  await accounts.getByRole("button", { name: "Set", exact: true }).click();
  await expect(accounts.getByText(/type it in/)).toBeVisible();
});

test("a source is checked, blocked and unblocked", async ({ signedIn: page }) => {
  await stop(page, "Run", "Blocked sources");
  await expect(page.getByText("No source is blocked.")).toBeVisible();
  const form = page.getByRole("complementary", { name: "Block a source" });
  await form.getByLabel("Address or network").fill("the pier");
  await form.getByRole("button", { name: "Check source" }).click();
  await expect(form.getByText(/invalid address or network/)).toBeVisible();
  await form.getByLabel("Address or network").fill("127.0.30.0/24");
  await form.getByRole("button", { name: "Check source" }).click();
  await expect(form.getByText("trunk Ostrel")).toBeVisible();
  await form.getByLabel("Address or network").fill("127.0.99.0/24");
  await form.getByRole("button", { name: "Check source" }).click();
  await expect(form.getByText("unknown source")).toBeVisible();
  await form.getByLabel("Reason").fill("scans");
  await form.getByRole("button", { name: "Block it" }).click();
  const block = page.getByRole("row", { name: /127.0.99.0\/24/ });
  await expect(block).toContainText("by engineer");
  await block.getByRole("button", { name: /^Unblock/ }).click();
  await expect(page.getByText("No source is blocked.")).toBeVisible();
});
