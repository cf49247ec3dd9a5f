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
  await page.goto(`/test-call?from=2001&dial=${encodeURIComponent(dial)}`);
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
  await call(page, "9 0191 498 0801", /failed/);
  await call(page, "9 0191 498 0145", /answered/);
  await call(page, "2150", /answered/);
  await call(page, "9 020 7946 0803", /failed/);
  await call(page, "9 0191 498 0804", /answered/);
  await shot(page, "test-call");
  const origin = new URL(page.url()).origin;
  for (const dial of ["901914980850", "907700900859", "2150", "901914980852", "901914980806"]) {
    await page.request.post("/api/test-calls", { data: { mode: "live", plan: "live", from: "2001", called: dial, talkSeconds: 20 }, headers: { origin } });
  }
  await page.goto("/network");
  await expect(page.getByText("connected").nth(1)).toBeVisible();
  await expect(page.getByText("routing", { exact: true }).first()).toBeVisible();
  await shot(page, "network");
  await page.getByRole("link", { name: /Trunks/ }).click();
  await expect(page.getByText("responding").first()).toBeVisible();
  await shot(page, "trunks");
  await page.goto("/trunks/ostrel");
  await expect(page.getByText("OPTIONS answered").first()).toBeVisible();
  await shot(page, "trunk");
  await page.request.post("/api/blocked-sources", { data: { source: "127.0.99.0/24", hours: 24, why: "scans for extensions" }, headers: { origin } });
  await page.goto("/blocked-sources");
  await page.getByLabel("Address or network").fill("127.0.30.2");
  await page.getByRole("button", { name: "Check source" }).click();
  await expect(page.getByText("trunk Ostrel")).toBeVisible();
  await shot(page, "blocked-sources");
  await page.goto("/plan/trunks/ostrel");
  await page.getByLabel("Cost rank").fill("1");
  await expect(page.getByText("live: 5")).toBeVisible();
  await shot(page, "plan");
  await page.goto("/routing/phones-out/phones-outside-quay");
  await expect(page.getByLabel("Sample called number")).toBeVisible();
  await page.waitForTimeout(500);
  await shot(page, "routing");
  await page.goto("/outbound-setup");
  await page.getByLabel("Switch").selectOption({ label: "Cape" });
  for (const [kind, path] of [["emergency", "Outside, from Cape"], ["service", "Outside, from Cape"], ["local", "Outside, from Cape"], ["national", "Outside, from Cape"], ["freephone", "Outside, from Cape"], ["international", "Outside, from Cape"]]) {
    await page.getByLabel(`Path for ${kind} calls`).selectOption({ label: path });
  }
  await page.getByLabel("local numbers are dialled without").check();
  await page.getByRole("button", { name: "Propose rules" }).click();
  await expect(page.getByText(/rules proposed/)).toBeVisible();
  await shot(page, "outbound-setup");
  await page.goto("/permissions");
  await expect(page.getByText(/destinations are reachable/)).toBeVisible();
  await shot(page, "permissions");
  for (const called of ["+447700900461", "+441914980555", "+441914980250"]) {
    await page.request.post("/api/test-calls", { data: { mode: "live", plan: "live", from: "ostrel", called: called, caller: "+442079460850", talkSeconds: 2 }, headers: { origin } });
  }
  await page.waitForTimeout(6000);
  await page.goto("/numbers/442079460400-442079460479");
  await page.getByLabel("First extension").fill("2400");
  await expect(page.getByText("0 of 80 mapped to an existing extension, 80 to none")).toBeVisible();
  await page.waitForTimeout(500);
  await shot(page, "numbers");
  await page.request.put("/api/calendars/bookings/override", { data: { state: "storm", minutes: 720, why: "gale warning" }, headers: { origin } });
  await page.goto("/calendars/bookings");
  await expect(page.getByText("Bookings: override storm")).toBeVisible();
  await page.waitForTimeout(500);
  await shot(page, "calendars");
  await page.request.delete("/api/calendars/bookings/override", { headers: { origin } });
  await page.goto("/checks");
  await page.getByRole("button", { name: "Run all" }).click();
  await expect(page.getByRole("button", { name: /\d+ passed/ })).toBeVisible();
  await page.waitForTimeout(300);
  await shot(page, "checks");
  await page.goto("/test-call?how=digits&from=4123");
  await expect(page.getByText("waiting for the first digit")).toBeVisible();
  for (const key of "0114419149808") await page.keyboard.press(key);
  await expect(page.getByText("complete, waiting for more digits")).toBeVisible();
  await shot(page, "digit-by-digit");
  await page.goto("/routing/outside/outside-national");
  await page.getByLabel("Called pattern").fill("0[23]xxxxxxxxx");
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page.getByText("saved, not live yet")).toBeVisible();
  await page.goto("/changes");
  await expect(page.getByText("0[23]xxxxxxxxx")).toBeVisible();
  await page.getByRole("button", { name: /^Go live with/ }).click();
  await expect(page.getByRole("button", { name: "Go live anyway" })).toBeVisible();
  await page.getByLabel("Extension", { exact: true }).fill("2150");
  await page.getByRole("button", { name: "Start trial" }).click();
  await expect(page.getByText("trial for extension 2150")).toBeVisible();
  await page.waitForTimeout(500);
  await shot(page, "changes");
  await page.getByRole("button", { name: "End trial" }).click();
  await page.goto("/test-call?from=2250&dial=9 020 7946 0850");
  await page.getByRole("button", { name: /^Dry/ }).click();
  await expect(page.getByText("Crew: no permission for national calls").first()).toBeVisible();
  await page.getByRole("button", { name: /rules not matched/ }).last().click();
  await page.getByRole("button", { name: "Dark theme" }).click({ force: true });
  await page.getByRole("button", { name: /rules not matched/ }).last().click();
  await shot(page, "test-call-dark");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Light theme" }).click();
  await page.goto("/changes");
  await page.getByRole("button", { name: "Discard draft" }).click();
  await page.getByRole("button", { name: "Confirm: discard draft" }).click();
  await page.goto("/calls");
  await expect(page.getByRole("row").nth(1)).toBeVisible();
  await shot(page, "calls");
  await page.setViewportSize({ width: 1920, height: 1000 });
  await page.getByRole("row").nth(1).click();
  await expect(page.getByRole("region", { name: "Ladder" })).toBeVisible();
  await shot(page, "call-wide");
});
