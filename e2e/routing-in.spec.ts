import { choose } from "./choose";
import AxeBuilder from "@axe-core/playwright";
import type { Locator, Page } from "@playwright/test";
import { expect, goLive, test } from "./demo";

const to = (page: Page, where: string) => page.goto(new URL(where, page.url()).href);

/** A call that comes by a carrier, decided dry by the draft. */
async function comes(page: Page, by: string, called: string, more: Record<string, unknown> = {}) {
  const origin = new URL(page.url()).origin;
  const answer = await page.request.post(`${origin}/api/test-calls`, {
    data: { mode: "dry", plan: "draft", from: by, called: called, ...more },
    headers: { origin },
  });
  const { result } = await answer.json();
  return result.called as string;
}

async function giveUp(page: Page) {
  await to(page, "/changes");
  await page.getByRole("button", { name: "Discard draft" }).click();
  await page.getByRole("button", { name: "Confirm: discard draft" }).click();
  await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible();
}

const saved = (page: Page) => expect(page.getByText("saved, not live yet")).toBeVisible();

/** A live call, placed from a phone as a person would. */
async function dialLive(page: Page, from: string, dial: string) {
  await to(page, `/test-call?from=${from}&dial=${encodeURIComponent(dial)}`);
  await page.getByRole("button", { name: /Call live/ }).click();
  await expect(page.getByRole("button", { name: "Hang up" })).toHaveCount(0, { timeout: 60_000 });
  return page.getByRole("heading", { name: /Live call/ }).locator("..");
}

/** Types a mapping that keeps the last two digits and puts others before them. */
async function cutAndPrefix(steps: Locator, digits: string) {
  await steps.getByRole("button", { name: "Add a step" }).click();
  await steps.getByLabel("Digit step").selectOption("keep-last");
  await steps.getByLabel("how many").fill("2");
  await steps.getByRole("button", { name: "Add a step" }).click();
  await steps.getByLabel("Digit step").nth(1).selectOption("add-prefix");
  await steps.getByLabel("digits", { exact: true }).fill(digits);
}

async function sound(page: Page) {
  const { violations } = await new AxeBuilder({ page }).analyze();
  expect(violations.filter((v) => v.impact === "serious" || v.impact === "critical").map((v) => v.id)).toEqual([]);
}

test("calls in are built by number, by caller, by hours, with a last resort", async ({ signedIn: page }) => {
  await test.step("by number: a block on extensions", async () => {
    await to(page, "/numbers/new");
    await page.getByLabel("First number").fill("+442079460500");
    await page.getByLabel("Last number").fill("+442079460549");
    await page.getByLabel("Carrier", { exact: true }).selectOption({ label: "Ostrel Carrier" });
    await page.getByLabel("Destination", { exact: true }).selectOption({ label: "Quay extensions" });
    await page.getByLabel("First extension").fill("2200");
    await expect(page.getByText("All 50 mapped, each to its own extension.")).toBeVisible();
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await expect(page).toHaveURL(/\/numbers\/442079460500-442079460549$/);
    await expect(page.getByText("draft: 1 change")).toBeVisible();
    const forms = page.getByRole("region", { name: "As carriers may send it" });
    await forms.getByLabel("shown on").fill("+442079460512");
    await expect(forms.getByRole("row", { name: /with \+/ })).toContainText("2212");
    await expect(forms.getByRole("row", { name: /last 4 digits/ })).toContainText("last resort: Operator");
    await sound(page);
    expect(await comes(page, "ostrel", "+442079460512")).toBe("2212");
  });
  await test.step("by hours and by caller: rules before the inventory", async () => {
    await to(page, "/routing/carriers-in/new");
    await page.getByLabel("Name").fill("The chandler at night");
    await page.getByLabel("Called pattern").fill("+442079460520");
    await page.getByLabel("Calling pattern").fill("+441914980850");
    await page.getByLabel("When", { exact: true }).selectOption({ label: "while Bookings is" });
    await page.getByLabel("day", { exact: true }).uncheck();
    await page.getByLabel("night", { exact: true }).check();
    await choose(page.getByLabel("Then"), "Storm desk");
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await saved(page);
    await page.getByLabel("match order").selectOption("specific-first");
    const night = { simulate: { time: "2026-11-27T23:00:00Z" } };
    await expect.poll(() => comes(page, "ostrel", "+442079460520", { caller: "+441914980850", ...night })).toBe("2005");
    expect(await comes(page, "ostrel", "+442079460520", { caller: "+441914980851", ...night })).toBe("2220");
    expect(await comes(page, "ostrel", "+442079460520", { caller: "+441914980850", simulate: { time: "2026-11-27T12:00:00Z" } })).toBe("2220");
  });
  await test.step("a last-resort destination of the trunk wins over that of the switch", async () => {
    expect(await comes(page, "ostrel", "+442079460599")).toBe("2000");
    await to(page, "/plan/trunks/ostrel");
    await page.getByLabel("Last-resort destination").selectOption({ label: "Bookings desk" });
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await saved(page);
    expect(await comes(page, "ostrel", "+442079460599")).toBe("2010");
    expect(await comes(page, "penhallow", "02079460599")).toBe("2000");
  });
  await giveUp(page);
});

test("a block that is off by a hundred is refused, with the arithmetic that is right", async ({ signedIn: page }) => {
  await to(page, "/numbers/442079460400-442079460479");
  await page.getByLabel("First extension").fill("2400");
  await expect(page.getByText("0 of 80 mapped to an existing extension, 80 to none")).toBeVisible();
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page.getByText(/maps \+442079460400 to \+442079460479 to 2400 to 2479; 80 of these are not/).first()).toBeVisible();
  await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible();

  await test.step("cutting and prefixing that is off is worked out for the whole block", async () => {
    await page.getByText("Check a mapping by digit steps").click();
    const steps = page.getByRole("group", { name: "Mapping: digit steps" });
    await cutAndPrefix(steps, "24");
    await expect(page.getByText("0 of 80 mapped to an existing extension, 80 to none")).toHaveCount(2);
  });
  await page.getByRole("button", { name: /2300 – 2379 free, 100 lower/ }).first().click();
  await expect(page.getByLabel("First extension")).toHaveValue("2300");
  await expect(page.getByText("All 80 mapped, each to its own extension.")).toBeVisible();

  await test.step("a rule that cuts and prefixes is worked out in the same way", async () => {
    await to(page, "/routing/carriers-in/new");
    await page.getByLabel("Called pattern").fill("+4420794604[0-7]x");
    await choose(page.getByLabel("Then"), "Quay extensions");
    const steps = page.getByRole("group", { name: "Called number: digit steps" });
    await cutAndPrefix(steps, "24");
    const all = page.getByRole("region", { name: "All its numbers" });
    await expect(all.getByText("0 of 80 mapped to an existing extension, 80 to none")).toBeVisible();
    await all.getByRole("button", { name: /2300 – 2379 free, 100 lower/ }).click();
    await expect(all.getByText("All 80 mapped, each to its own extension.")).toBeVisible();
    await expect(steps.getByLabel("Digit step").first()).toHaveValue("map-block");
  });
});

test("a sheet of numbers is looked at, and taken whole or not at all", async ({ signedIn: page }) => {
  await to(page, "/numbers");
  const sheet = (rows: string[]) => ({
    name: "numbers.csv",
    mimeType: "text/csv",
    buffer: Buffer.from(`first,last,state,carrier,destination,extension\n${rows.join("\n")}\n`),
  });
  const good = "+442079460600,+442079460619,ordered,ostrel,quay-extensions,2240";
  await page.getByLabel("Import CSV").setInputFiles(sheet([good, "+442079460610,+442079460629,active,,,", "2150,,active,,,"]));
  const report = page.getByRole("region", { name: "Import of numbers" });
  await expect(report.getByText("Nothing is imported while a line has an error.")).toBeVisible();
  await expect(report.getByText(/overlaps \+442079460600 to \+442079460619/)).toBeVisible();
  await expect(report.getByText(/a public number is written as E.164/)).toBeVisible();
  await page.getByLabel("Import CSV").setInputFiles(sheet([good]));
  await report.getByRole("button", { name: "Import all lines" }).click();
  await expect(report.getByText("In the draft; undo reverts it.")).toBeVisible();
  await report.getByRole("button", { name: "Close" }).click();
  await page.getByLabel("Find a number").fill("7946 0612");
  await expect(page.getByRole("link", { name: /\+442079460600/ })).toBeVisible();
  await expect(page.getByText("1 found")).toBeVisible();
  await giveUp(page);
});

test("several numbers are changed in one step, and one undo reverts it", async ({ signedIn: page }) => {
  await to(page, "/numbers");
  await page.getByLabel("Select +447700900461").check();
  await page.getByLabel("Select +447700900462").check();
  const bulk = page.getByRole("group", { name: "Bulk edit" });
  await expect(bulk).toContainText("2 rows selected");
  await bulk.getByLabel("New state").selectOption("spare");
  await bulk.getByRole("button", { name: "Apply to 2 rows" }).click();
  await expect(page.getByText("draft: 2 changes")).toBeVisible();
  await expect(page.getByRole("listitem").filter({ hasText: "+447700900461" })).toContainText("spare");
  await sound(page);
  await page.getByRole("button", { name: "Undo edit" }).click();
  await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible();
});

test("hours are set from a phone, shown everywhere, and taken back", async ({ signedIn: page }) => {
  expect(await comes(page, "ostrel", "+448081570123", { simulate: { time: "2026-11-27T12:00:00Z" } })).toBe("2010");
  await expect(await dialLive(page, "2001", "*1071")).toContainText("answered");
  await expect(page.getByText("Bookings: override storm")).toBeVisible();
  await to(page, "/calendars/bookings");
  await expect(page.getByText(/storm by 2001 by Quay phones, dialled \*1071/)).toBeVisible();
  expect(await comes(page, "ostrel", "+448081570123")).toBe("2005");
  await sound(page);
  await test.step("the office may not", async () => {
    await expect(await dialLive(page, "2150", "*1071")).toContainText("rejected: 403, cause 21");
  });
  await to(page, "/calendars/bookings");
  await page.getByRole("button", { name: "Clear override" }).click();
  await expect(page.getByText("Bookings: override storm")).toHaveCount(0);
  await test.step("from the interface too, with an end", async () => {
    const bookings = page.getByRole("listitem").filter({ has: page.getByRole("link", { name: "Bookings" }) });
    await bookings.getByRole("button", { name: "Override" }).click();
    await bookings.getByLabel("State of Bookings").selectOption("holiday");
    await bookings.getByLabel("For how long").selectOption({ label: "for an hour" });
    await bookings.getByLabel("Reason").fill("the crew is ashore");
    await bookings.getByRole("button", { name: "Set override" }).click();
    await expect(page.getByText("Bookings: override holiday")).toBeVisible();
    expect(await comes(page, "ostrel", "+448081570123")).toBe("2999");
    await bookings.getByRole("button", { name: "Clear override" }).click();
    await expect(page.getByText("Bookings: override holiday")).toHaveCount(0);
  });
  await test.step("a month is shown while dates are edited, and an end before the beginning is told", async () => {
    const christmas = page.getByRole("listitem", { name: /^\d{4}-12-25: 00:00 to 24:00 holiday, Christmas Day/ });
    const firstDay = page.getByRole("listitem", { name: /^\d{4}-\d\d-01: / });
    await expect(firstDay).toBeVisible();
    for (let month = 0; month < 12 && !(await christmas.isVisible()); month++) {
      const before = (await firstDay.getAttribute("aria-label")) ?? "";
      await page.getByRole("button", { name: "The month after" }).click();
      await expect(firstDay).not.toHaveAttribute("aria-label", before);
    }
    await expect(christmas).toBeVisible();
    await page.getByLabel("Last day of date 1").fill("2026-12-20");
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await expect(page.getByText(/it ends on 2026-12-20, before it begins on 2026-12-24/).first()).toBeVisible();
  });
});

test("a change is rehearsed, tried on one extension, widened, and taken back", async ({ signedIn: page }) => {
  await expect(await dialLive(page, "2150", "9 0191 498 0850")).toContainText("answered");
  await to(page, "/routing/outside/outside-national");
  await page.getByLabel("Called pattern").fill("0[23]xxxxxxxxx");
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await saved(page);
  await test.step("the rehearsal finds the checks that fail, and the call that really happened", async () => {
    await to(page, "/changes");
    const revision = await page.getByText(/^Live: revision \d+$/).innerText();
    await page.getByRole("button", { name: "Go live with 1 change" }).click();
    const found = page.getByRole("region", { name: "Impact" });
    await expect(found.getByText(/\d+ fail, \d+ pass/)).toBeVisible();
    await expect(page.getByRole("button", { name: "Go live anyway" })).toBeVisible();
    await expect(page.getByText(revision, { exact: true })).toBeVisible();
    const group = found.getByText(/from Quay phones: routed differently/).first();
    await group.click();
    await found.getByRole("button", { name: /01914980850|0191 498 0850/ }).first().click();
    await expect(found.getByRole("heading", { name: "Draft" })).toBeVisible();
    await sound(page);
  });
  await test.step("one extension first", async () => {
    await page.getByLabel("Extension", { exact: true }).fill("2150");
    await page.getByRole("button", { name: "Start trial" }).click();
    await expect(page.getByText("trial for extension 2150")).toBeVisible();
    await dialLive(page, "2150", "9 0191 498 0850");
    await expect(page.getByText("decided by the trial").first()).toBeVisible();
    await expect(page.getByText("Wrong numbers").first()).toBeVisible();
    await dialLive(page, "2151", "9 0191 498 0850");
    await expect(page.getByText("decided by the trial")).toHaveCount(0);
  });
  await test.step("widened to a group", async () => {
    await to(page, "/changes");
    await page.getByLabel("Whose calls").selectOption({ label: "caller group" });
    await page.getByLabel("Which").selectOption({ label: "Office" });
    await page.getByRole("button", { name: "Add to trial" }).click();
    await expect(page.getByText("Trial: extension 2150, group Office", { exact: true })).toBeVisible();
    await dialLive(page, "2151", "9 0191 498 0850");
    await expect(page.getByText("decided by the trial").first()).toBeVisible();
  });
  await test.step("and taken back in one step", async () => {
    await to(page, "/changes");
    await page.getByRole("button", { name: "End trial" }).click();
    await expect(page.getByText(/^trial for/)).toHaveCount(0);
    await dialLive(page, "2151", "9 0191 498 0850");
    await expect(page.getByText("decided by the trial")).toHaveCount(0);
  });
  await giveUp(page);
});

test("a number that calls come for is ordered, or not in the inventory: both are pointed out", async ({ signedIn: page }) => {
  await expect(await dialLive(page, "ostrel", "+447700900461")).toContainText("answered");
  await expect(await dialLive(page, "ostrel", "+441914980555")).toContainText("answered");
  await to(page, "/numbers");
  await page.getByRole("button", { name: /1 in use, but ordered or spare/ }).click();
  await expect(page.getByText("1 found")).toBeVisible();
  await page.getByRole("button", { name: /in use, not in the inventory/ }).click();
  await page.getByRole("link", { name: "+441914980555" }).click();
  await expect(page.getByLabel("First number")).toHaveValue("+441914980555");
  await page.getByLabel("Destination", { exact: true }).selectOption({ label: "Operator" });
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page).toHaveURL(/\/numbers\/441914980555$/);
  await to(page, "/changes");
  await goLive(page);
  await to(page, "/numbers");
  await expect(page.getByRole("button", { name: /not in the inventory/ })).toHaveCount(0);
});
