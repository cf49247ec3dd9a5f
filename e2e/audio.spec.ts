import type { Locator } from "@playwright/test";
import { expect, test } from "./demo";

test("a live try says what its two ends heard of each other", async ({ signedIn: page }) => {
  await page.goto(new URL("/test-call?from=2001&dial=9 0191 498 0850", page.url()).href);
  await page.getByRole("button", { name: /Call live/ }).click();
  const sound = page.getByRole("region", { name: "Media" });
  await expect(sound).toContainText("audio both ways", { timeout: 20_000 });
  await expect(sound).toContainText("through the switch");

  // A far end that sends nothing changes the verdict.
  await page.getByLabel("Dial", { exact: true }).fill("9 0191 498 0820");
  await page.getByRole("button", { name: /Call live/ }).click();
  await expect(sound).toContainText("one way: the called side hears the caller, the caller hears nothing", { timeout: 20_000 });
});

test("two switches joined by TLS are proved, and a sheet says what the other side needs", async ({ signedIn: page }) => {
  await page.goto(new URL("/trunks/quay-cape", page.url()).href);
  const panel = page.getByRole("region", { name: "Trunk Cape" });
  await expect(panel).toContainText("responding", { timeout: 20_000 });
  const verified = (trunk: Locator) => trunk.getByText(/verified or not needed$/).click();
  await verified(panel);
  const checklist = panel.getByRole("list", { name: "Verified" });
  await expect(checklist.getByRole("listitem").filter({ hasText: "Certificate verified" })).toContainText("verified");

  await page.goto(new URL("/trunks/penhallow", page.url()).href);
  const penhallow = page.getByRole("region", { name: "Trunk Penhallow" });
  await verified(penhallow);
  await expect(penhallow.getByRole("list", { name: "Verified" })).toContainText("penhallow.example is 127.0.31.1:5060");
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    penhallow.getByRole("link", { name: "Interconnect sheet" }).click(),
  ]);
  expect(download.suggestedFilename()).toBe("penhallow.md");
});
