import { choose } from "./choose";
import type { Page } from "@playwright/test";
import { expect, goLive, stop, test } from "./demo";

async function dialLive(page: Page, digits: string) {
  await stop(page, "Prove", "Test call");
  await page.getByLabel("From").fill("2001");
  await page.getByLabel("Dial").fill(digits);
  await page.getByRole("button", { name: "Call live" }).click();
}

const headline = (page: Page) => page.getByRole("heading", { name: /Live call from/ }).locator("..");
const trail = (page: Page) => page.getByRole("region", { name: "Call trail" });

test("a newcomer dials, breaks a rule, sees why, mends it and dials again", async ({ signedIn: page }) => {
  await test.step("the trunks are up", async () => {
    await stop(page, "Connect", "Trunks");
    await expect(page.getByRole("row", { name: /Ostrel/ })).toContainText("responding");
    await expect(page.getByRole("row", { name: /Quay phones/ })).toContainText("registered");
  });

  await test.step("9 and a national number from 2001 is answered, live", async () => {
    await dialLive(page, "9 0191 498 0850");
    await expect(headline(page)).toContainText("answered");
    await expect(page.getByText("200 OK").first()).toBeVisible();
  });

  await test.step("which digits were dropped and added, and by what", async () => {
    await expect(trail(page).getByRole("img", { name: "dropped 9, 01914980850" })).toBeVisible();
    await expect(trail(page)).toContainText("remove first 1");
    await expect(trail(page).getByRole("img", { name: "dropped 0, added +44, 1914980850" })).toBeVisible();
    await expect(trail(page)).toContainText("convert to e164");
    await trail(page).getByRole("button", { name: /rules not matched/ }).first().click();
    await expect(page.getByText("901914980850 does not match 999|112")).toBeVisible();
    await page.keyboard.press("Escape");
  });

  await test.step("the ladder, and each message's text beside it", async () => {
    const ladder = page.getByRole("region", { name: "Ladder" });
    await expect(ladder.getByRole("button", { name: /Switch Quay to Ostrel Carrier: INVITE/ }).last()).toBeVisible();
    await ladder.getByRole("button", { name: /Switch Quay to Ostrel Carrier: INVITE/ }).last().click();
    await expect(ladder.getByText("INVITE sip:+441914980850@127.0.30.1:5060 SIP/2.0")).toBeVisible();
    await expect(ladder.getByRole("button", { name: /: BYE/ }).first()).toBeVisible();
  });

  await test.step("a rule is changed so that the call goes astray; the draft is not live", async () => {
    await stop(page, "Route", "Routing");
    await page.getByRole("link", { name: /Outside numbers/ }).click();
    await page.locator("[data-rule=outside-national]").click();
    const pattern = page.getByLabel("Called pattern");
    await pattern.fill("0[1-3");
    await expect(page.getByText(/position 2: this \[ is never closed/)).toBeVisible();
    await pattern.fill("0[23]xxxxxxxxx");
    await expect(page.getByText("2,000,000,000 of 11 digits")).toBeVisible();
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await expect(page.getByText("saved, not live yet")).toBeVisible();
    await expect(page.getByText("draft: 1 change")).toBeVisible();
  });

  await test.step("go live, and see at which bend it went astray", async () => {
    await stop(page, "Go live", "Changes");
    await expect(page.getByText("0[23]xxxxxxxxx")).toBeVisible();
    await page.getByLabel("Revision note").fill("Without 01, to see it fail");
    await goLive(page);
    await expect(page.getByText("Live: revision 2")).toBeVisible();
    await dialLive(page, "9 0191 498 0850");
    await expect(headline(page)).toContainText("answered");
    await expect(trail(page)).toContainText("Wrong numbers");
    await trail(page).getByRole("button", { name: /rules not matched/ }).last().click();
    await expect(page.getByText("01914980850 does not match 0[23]xxxxxxxxx")).toBeVisible();
    await page.keyboard.press("Escape");
  });

  await test.step("mend it, go live, dial again", async () => {
    await page.goto(new URL("/routing/outside/outside-national", page.url()).href);
    await page.getByLabel("Called pattern").fill("0[1-3]xxxxxxxxx");
    await page.keyboard.press("Control+s");
    await expect(page.getByText("saved, not live yet")).toBeVisible();
    await page.keyboard.press("Escape");
    await stop(page, "Go live", "Changes");
    await goLive(page);
    await expect(page.getByText("Live: revision 3")).toBeVisible();
    await dialLive(page, "9 0191 498 0850");
    await expect(headline(page)).toContainText("answered");
  });

  await test.step("the revisions are kept, to compare and to bring back", async () => {
    await stop(page, "Go live", "Changes");
    const second = page.getByRole("region", { name: "Revisions" }).getByRole("listitem").nth(1);
    await expect(second).toContainText("Without 01, to see it fail");
    await second.getByRole("button", { name: "Changes since" }).click();
    await expect(second.getByText("0[1-3]xxxxxxxxx")).toBeVisible();
    await second.getByRole("button", { name: "Restore to draft" }).click();
    await expect(page.getByText("draft: 1 change")).toBeVisible();
    await page.getByRole("button", { name: "Discard draft" }).click();
    await page.getByRole("button", { name: "Confirm: discard draft" }).click();
    await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible();
  });

  await test.step("the calls are kept, and open into the same explanation", async () => {
    await stop(page, "Trace", "Call records");
    await page.getByRole("row").nth(2).click(); // the one before the last
    await expect(trail(page)).toContainText("Wrong numbers");
    await expect(page.getByText("decided by revision 2")).toBeVisible();
  });
});

test("the second trunk takes the call when the first is congested", async ({ signedIn: page }) => {
  await dialLive(page, "9 0191 498 0804");
  await expect(headline(page)).toContainText("answered");
  await expect(trail(page)).toContainText("503 Service Unavailable, cause 34 No circuit/channel available");
  await expect(trail(page)).toContainText("to Penhallow Voice");
});

test("with the stand-in stopped a live try fails at its first step", async ({ signedIn: page }) => {
  await stop(page, "Connect", "Trunks");
  await page.getByRole("region", { name: "Trunks" }).getByRole("row", { name: /Quay phones/ }).click();
  await page.getByRole("button", { name: "Stop", exact: true }).click();
  await expect(page.getByText("stopped", { exact: true })).toBeVisible();
  await dialLive(page, "9 0191 498 0850");
  await expect(page.getByText(/Not placed: Quay phones is stopped/)).toBeVisible();
  await stop(page, "Connect", "Trunks");
  await page.getByRole("region", { name: "Trunks" }).getByRole("row", { name: /Quay phones/ }).click();
  await page.getByRole("button", { name: "Start", exact: true }).click();
  await expect(page.getByText("running", { exact: true })).toBeVisible();
});

test("bad input is told in place, and what was typed is kept", async ({ signedIn: page }) => {
  await stop(page, "Prove", "Test call");
  await expect(page.getByLabel("From")).not.toHaveValue(""); // a first source is offered
  await page.getByLabel("Dial").fill("12x4");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/position 3: "x" is not a symbol/)).toBeVisible();
  await expect(page.getByLabel("Dial")).toHaveValue("12x4");
  await page.getByLabel("Dial").fill("2150");
  await page.getByLabel("From").fill("9999");
  await page.getByRole("button", { name: /^Dry/ }).click(); // Enter there may choose a suggestion
  await expect(page.getByText(/unknown source "9999"/)).toBeVisible();
});

test("rules are added, moved by the keyboard and taken out", async ({ signedIn: page }) => {
  await page.goto(new URL("/routing/phones-out/new", page.url()).href);
  await page.getByLabel("Name").fill("Lift phone test");
  await page.getByLabel("Called pattern").fill("55x");
  await page.getByRole("button", { name: "Add a step" }).first().click();
  await page.getByLabel("Digit step").selectOption("add-prefix");
  await page.getByLabel("digits", { exact: true }).fill("2");
  await expect(page.getByRole("img", { name: "added 2, 550" })).toBeVisible();
  await choose(page.getByLabel("Then"), "Quay extensions");
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page.getByText("saved, not live yet")).toBeVisible();
  const names = page.locator("[data-rule] .font-semibold");
  // Behind all others but those of last resort.
  await expect(names.nth(10)).toHaveText("Lift phone test");
  await page.locator("[data-rule]").filter({ hasText: "Lift phone test" }).focus();
  await page.keyboard.press("Alt+ArrowUp");
  await expect(names.nth(9)).toHaveText("Lift phone test");
  await page.getByRole("button", { name: "Delete", exact: true }).click();
  await expect(names).toHaveCount(12);
  await page.getByRole("button", { name: "Undo edit" }).click();
  await expect(names.nth(9)).toHaveText("Lift phone test");
  for (let i = 0; i < 2; i++) await page.getByRole("button", { name: "Undo edit" }).click();
  await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible();
});

test("two people edit one rule: the second is told, and loses nothing", async ({ signedIn: page, context }) => {
  const url = new URL("/routing/outside/outside-mobile", page.url()).href;
  await page.goto(url);
  await expect(page.getByLabel("Called pattern")).toHaveValue("07xxxxxxxxx");
  const other = await context.newPage();
  await other.goto(url);
  await other.getByLabel("Called pattern").fill("07[1-9]xxxxxxxx");
  await other.getByRole("button", { name: "Save to the draft" }).click();
  await expect(other.getByText("saved, not live yet")).toBeVisible();

  await page.getByLabel("Called pattern").fill("077xxxxxxxx");
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page.getByText(/not saved: it was changed in the draft meanwhile/)).toBeVisible();
  await expect(page.getByText(/changed meanwhile from "07xxxxxxxxx" to "07\[1-9\]xxxxxxxx"/).first()).toBeVisible();
  await expect(page.getByLabel("Called pattern")).toHaveValue("077xxxxxxxx");
  await page.getByRole("button", { name: "Overwrite" }).click();
  await expect(page.getByText("saved, not live yet")).toBeVisible();
  await page.goto(new URL("/changes", page.url()).href);
  await expect(page.getByText("077xxxxxxxx")).toBeVisible();
  await page.getByRole("button", { name: "Discard draft" }).click();
  await page.getByRole("button", { name: "Confirm: discard draft" }).click();
  await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible();
});

test("specific first puts narrow rules before wide ones and says why", async ({ signedIn: page }) => {
  await page.goto(new URL("/routing/phones-out", page.url()).href);
  const rows = page.locator("[data-rule]");
  await page.getByLabel("match order").selectOption("specific-first");
  await expect(page.locator("[data-rule=phones-outside-quay]")).toContainText(
    "Outside, other callers, which matches the same calls, e.g. 90",
  );
  await page.locator("[data-rule=phones-outside-rest]").focus();
  for (let i = 0; i < 4; i++) {
    const read = page.waitForResponse((r) => r.url().endsWith("/api/draft") && r.request().method() === "GET"); // the next move starts from what is read then
    await page.keyboard.press("Alt+ArrowUp");
    await read;
    await expect(page.getByRole("button", { name: /Move Outside, other callers up/ })).toBeEnabled({ enabled: i < 3 });
  }
  // First in the list, it is tried after the two that it contains, and before what it has nothing to do with.
  await expect(rows.nth(2)).toHaveAttribute("data-rule", "phones-outside-rest");
  await page.goto(new URL("/changes", page.url()).href);
  await page.getByRole("button", { name: "Discard draft" }).click();
  await page.getByRole("button", { name: "Confirm: discard draft" }).click();
  await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible();
});
