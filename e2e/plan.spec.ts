import { expect, test } from "./demo";

test("a far end and its trunk are added in the draft, and what is needed stays", async ({ signedIn: page }) => {
  const at = (path: string) => new URL(path, page.url()).href;
  await page.goto(at("/plan/farEnds"));
  await page.getByRole("link", { name: "Add a far end" }).first().click();
  await expect(page.getByRole("heading", { name: "New far end" })).toBeVisible();
  await page.getByLabel("Name", { exact: true }).fill("Test bench");
  await expect(page.getByLabel("Id", { exact: true })).toHaveValue("test-bench");
  await page.getByLabel("Kind").selectOption("gateway");
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page.getByText("saved, not live yet")).toBeVisible();

  await page.getByRole("link", { name: "Add a trunk" }).click();
  await expect(page.getByRole("heading", { name: "New trunk" })).toBeVisible();
  await page.getByLabel("Name", { exact: true }).fill("Bench");
  await page.getByLabel("Far end", { exact: true }).selectOption("test-bench");
  await page.getByLabel("Remote address", { exact: true }).fill("127.0.99.1");
  await page.keyboard.press("Control+s");
  await expect(page.getByLabel("Remote address", { exact: true })).toHaveAttribute("aria-invalid", "true"); // no port
  await expect(page.getByLabel("Name", { exact: true })).toHaveValue("Bench"); // nothing is lost
  await page.getByLabel("Remote address", { exact: true }).fill("127.0.99.1:5060");
  await page.getByLabel("Reserved for emergency calls").fill("2");
  await page.keyboard.press("Control+s");
  await expect(page).toHaveURL(/\/plan\/trunks\/bench$/);
  await expect(page.getByRole("region", { name: "Used by" })).toContainText("Not used");

  // The far end is needed now.
  await page.goto(at("/plan/farEnds/test-bench"));
  await expect(page.getByRole("region", { name: "Used by" })).toContainText("trunk Bench");
  await page.getByRole("button", { name: "Delete", exact: true }).click();
  await expect(page.getByRole("alert")).toContainText("the plan refers to it");
  await page.getByRole("link", { name: "trunk Bench" }).click();
  await expect(page.getByRole("heading", { name: "Bench", exact: true })).toBeVisible();
  await page.getByRole("button", { name: "Delete", exact: true }).click();
  await expect(page).toHaveURL(/\/plan\/trunks$/);
  await page.goto(at("/plan/farEnds/test-bench"));
  await page.getByRole("button", { name: "Delete", exact: true }).click();
  await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible();
});

test("the trunks of a path change their order, and what is live is told beside it", async ({ signedIn: page }) => {
  await page.goto(new URL("/plan/paths/national", page.url()).href);
  await page.getByRole("button", { name: "Move Penhallow up" }).click();
  await page.getByLabel("Max attempts").fill("1");
  await expect(page.getByText("live: empty")).toBeVisible();
  await page.keyboard.press("Control+s");
  await expect(page.getByRole("navigation", { name: "Objects of the plan" })).toContainText("changed");
  await page.getByRole("link", { name: "saved, not live yet" }).click();
  await expect(page.getByText("National").first()).toBeVisible();
  await page.getByRole("button", { name: "Undo edit" }).click();
  await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible();
});

test("a profile fills a trunk and says why, and departures from it are marked", async ({ signedIn: page }) => {
  await page.goto(new URL("/plan/trunks/tamarack", page.url()).href);
  const profile = page.getByLabel("Profile", { exact: true });
  await expect(profile).toHaveValue("ten-digit-carrier");
  const contract = page.getByRole("region", { name: "Number contract" });
  await expect(contract).toContainText("May treat eleven digits or + as invalid");
  await expect(contract.getByText("differs")).toHaveCount(0);

  // Another sort of carrier: the forms change, the channels stay, and the wire shows it.
  await profile.selectOption({ label: "Strict E.164 carrier" });
  const home = page.getByLabel("domestic numbers, called, outbound");
  await expect(home).toHaveValue("e164");
  await expect(page.getByLabel("Channels", { exact: true })).toHaveValue("12");
  await expect(page.getByRole("region", { name: "Message as sent" })).toContainText("INVITE sip:+16175550180@");

  await home.selectOption("national");
  await expect(contract).toContainText("differs: the profile has e164. May reject a number without + (404)");
  await expect(page.getByText("differs in 1 setting")).toBeVisible();
  await contract.getByRole("button", { name: "Use it: called domestic numbers" }).click();
  await expect(home).toHaveValue("e164");
  await expect(page.getByText("matches the profile")).toBeVisible();
});
