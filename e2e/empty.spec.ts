import { choose } from "./choose";
import { expect, test } from "./empty";
import { farEnd } from "./socket";

// From an empty database, by docs/install.md alone, to a call over a real trunk that is heard
// both ways. Nothing of the demo runs.
test("the first start leads from an empty database to the first call, and the guides on from there", async ({ link, page, browser }) => {
  const carrier = await farEnd("127.0.111.1");
  const at = (path: string) => new URL(path, link).href;
  const saved = () => expect(page.getByText("saved, not live yet")).toBeVisible();
  const toSetUp = () => page.goto(at("/setup"));
  const step = (action: string) => page.getByRole("link", { name: action, exact: true }).click();
  const save = async () => {
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await saved();
    await toSetUp();
  };

  await test.step("the link lets the first person in, and works once", async () => {
    await page.goto(link);
    await page.getByLabel("Name").fill("alda");
    await page.getByLabel("Password", { exact: true }).fill("low water at noon");
    await page.getByLabel("Password again").fill("low water at noon");
    await page.getByRole("button", { name: "Create and sign in" }).click();
    await expect(page.getByRole("heading", { name: "First set-up" })).toBeVisible();
    const other = await browser.newPage();
    await other.goto(link);
    await other.getByLabel("Name").fill("brann");
    await other.getByLabel("Password", { exact: true }).fill("high water at noon");
    await other.getByLabel("Password again").fill("high water at noon");
    await other.getByRole("button", { name: "Create and sign in" }).click();
    await expect(other.getByRole("alert")).toContainText("it was used");
    await other.close();
  });

  await test.step("a switch with its listener", async () => {
    await step("Add a switch");
    await page.getByLabel("Name", { exact: true }).fill("Quay");
    await page.getByLabel("Country").fill("GB");
    await page.getByLabel("Area code").fill("191");
    await page.getByLabel("Time zone").fill("Europe/London");
    await page.getByLabel("SIP address", { exact: true }).fill("127.0.110.1:5060");
    await save();
  });

  const trunk = async (name: string, kind: string, profile: string, address: string) => {
    await page.goto(at("/plan/farEnds/new"));
    await page.getByLabel("Name", { exact: true }).fill(name);
    await page.getByLabel("Kind").selectOption(kind);
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await saved();
    await page.goto(at("/plan/trunks/new"));
    await page.getByLabel("Name", { exact: true }).fill(name);
    await page.getByLabel("Far end", { exact: true }).selectOption({ label: name });
    await page.getByLabel("Profile", { exact: true }).selectOption(profile);
    await page.getByLabel("Remote address", { exact: true }).fill(`${address}:5060`);
    await page.getByLabel(/Trusted|Addresses of theirs/).fill(address);
    await save();
  };
  await test.step("two far ends and their trunks, by profile", async () => {
    await trunk("Ostrel", "carrier", "national-carrier-by-address", "127.0.111.1");
    await trunk("Quay phones", "phone-system", "phone-system-by-address", "127.0.111.2");
  });

  await test.step("a path, a table, its entry and a rule", async () => {
    await step("Add a path");
    await page.getByLabel("Name", { exact: true }).fill("Outside");
    await page.getByLabel("Add a trunk to the path").selectOption({ label: "Ostrel" });
    await save();
    await step("Add a table");
    await page.getByRole("button", { name: "Add a table" }).first().click();
    await page.getByLabel("New table on Quay").fill("From the phones");
    await page.keyboard.press("Enter");
    await expect(page.getByRole("heading", { name: "From the phones" })).toBeVisible();
    await page.goto(at("/plan/trunks/quay-phones"));
    await page.getByLabel("Inbound routing table").selectOption({ label: "From the phones" });
    await save();
    await step("Add a rule");
    await page.getByLabel("Name", { exact: true }).fill("National");
    await page.getByLabel("Called pattern").fill("0x.");
    await choose(page.getByLabel("Then", { exact: true }), "Outside");
    await page.keyboard.press("Control+s");
    await saved();
    await toSetUp();
  });

  await test.step("it goes live", async () => {
    await step("Review and go live");
    await page.getByRole("button", { name: /^Go live with \d+ change/ }).click();
    await expect(page.getByText(/^Revision 1 is live/)).toBeVisible();
    await toSetUp();
  });

  await test.step("a live test call is answered by a bare socket and heard both ways", async () => {
    await step("Place a test call");
    await page.getByLabel("From", { exact: true }).fill("quay-phones");
    await page.getByLabel("Dial").fill("0191 498 0850");
    await page.getByRole("button", { name: "Call live" }).click();
    await expect(page.getByText(/packets of audio came; [1-9]\d* packets of tone were sent/)).toBeVisible({ timeout: 30_000 });
    expect(carrier.seen.called).toEqual(["01914980850"]);
    expect(carrier.seen.heard).toBeGreaterThan(100);
  });

  // What the guides add to it: docs/route-out.md and docs/route-in.md, on a plan of one's own.
  const dry = async (from: string, dial: string, plan = "draft") => {
    await page.goto(at(`/test-call?plan=${plan}&from=${from}&dial=${encodeURIComponent(dial)}`));
    await page.getByRole("button", { name: /Dry/ }).click();
    return page.getByRole("heading", { name: "Dry run" }).locator("..");
  };

  await test.step("route out: extensions and rules for each class, beside the rule that is there", async () => {
    await page.goto(at("/plan/destinations/new"));
    await page.getByLabel("Name", { exact: true }).fill("Quay extensions");
    await page.getByLabel("Kind").selectOption("extensions");
    await page.getByLabel("Trunk", { exact: true }).selectOption({ label: "Quay phones" });
    await page.getByLabel("Existing numbers").fill("2[0-2]xx");
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await saved();
    await page.goto(at("/outbound-setup"));
    for (const kind of ["emergency", "local", "national", "mobile"]) await page.getByLabel(`Path for ${kind} calls`).selectOption({ label: "Outside" });
    await page.getByLabel("Calls show").fill("+441914980100");
    await page.getByRole("button", { name: "Propose rules" }).click();
    await expect(page.getByText("National takes these already").first()).toBeVisible();
    await expect(page.getByRole("row", { name: "999 no rule matches via Outside, 999" })).toBeVisible();
    await expect(page.getByText(/example numbers not as asked/)).toBeVisible(); // 0x. takes premium numbers too
    await page.getByRole("button", { name: /Add \d+ to the draft/ }).click();
    await expect(page).toHaveURL(/\/routing\/from-the-phones$/);
    // The rule of the first set-up goes, and the guide proposes in its place.
    await page.goto(at("/routing/from-the-phones"));
    await page.locator("[data-rule]").filter({ hasText: "0x." }).click();
    await page.getByRole("button", { name: "Delete", exact: true }).click();
    await expect(page.locator("[data-rule]").filter({ hasText: "0x." })).toHaveCount(0);
    await page.goto(at("/outbound-setup"));
    for (const kind of ["emergency", "local", "national", "mobile"]) await page.getByLabel(`Path for ${kind} calls`).selectOption({ label: "Outside" });
    await page.getByLabel("Calls show").fill("+441914980100");
    await page.getByRole("button", { name: "Propose rules" }).click();
    await expect(page.getByText("in the draft already").first()).toBeVisible();
    await expect(page.getByText(/example numbers, all as asked/)).toBeVisible();
    await page.getByRole("button", { name: /Add \d+ to the draft/ }).click();
    await expect(page).toHaveURL(/\/routing\/from-the-phones$/);
    await expect(await dry("quay-phones", "999")).toContainText("answered");
    await expect(await dry("quay-phones", "0191 498 0850")).toContainText("answered");
    await expect(await dry("quay-phones", "0909 8790850")).toContainText("21");
  });

  await test.step("route in: a table for the carrier, and numbers", async () => {
    await page.goto(at("/routing"));
    await page.getByRole("button", { name: "Add a table" }).first().click();
    await page.getByLabel("New table on Quay").fill("Calls in");
    await page.keyboard.press("Enter");
    await expect(page.getByRole("heading", { name: "Calls in" })).toBeVisible();
    await page.goto(at("/plan/trunks/ostrel"));
    await page.getByLabel("Inbound routing table").selectOption({ label: "Calls in" });
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await saved();
    await page.goto(at("/routing/calls-in/new"));
    await page.getByLabel("Name", { exact: true }).fill("By number");
    await page.getByLabel("Called pattern").fill("+x.");
    await choose(page.getByLabel("Then", { exact: true }), "destination in the inventory");
    await page.keyboard.press("Control+s");
    await saved();
    await page.goto(at("/numbers/new"));
    await page.getByLabel("First number").fill("+441914980100");
    await page.getByLabel("Last number").fill("+441914980149");
    await page.getByLabel("Destination", { exact: true }).selectOption({ label: "Quay extensions" });
    await page.getByLabel("First extension").fill("2100");
    await expect(page.getByText("All 50 mapped, each to its own extension.")).toBeVisible();
    await page.getByRole("button", { name: "Save to the draft" }).click();
    await expect(page).toHaveURL(/\/numbers\/441914980100-441914980149$/);
    await expect(await dry("ostrel", "+441914980112")).toContainText("answered");
    await expect(page.getByText("2112").first()).toBeVisible();
  });

  await test.step("the second revision carries both", async () => {
    await page.goto(at("/changes"));
    await page.getByRole("button", { name: /^Go live with \d+ change/ }).click();
    // The one call that was placed is decided again: it shows a number now, as was asked.
    await expect(page.getByRole("region", { name: "Impact" })).toContainText("different calling number");
    await page.getByRole("button", { name: "Go live anyway" }).click();
    await expect(page.getByText(/^Revision 2 is live/)).toBeVisible();
    await expect(await dry("ostrel", "+441914980112", "live")).toContainText("answered");
  });
  carrier.close();
});
