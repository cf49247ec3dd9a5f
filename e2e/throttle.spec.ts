import { expect, test } from "./demo";

// The last of the files: from here on this address may not sign in for a while.
test("wrong passwords are slowed down", async ({ page, demo }) => {
  await page.goto(demo.url);
  for (let i = 0; i < 6; i++) {
    await page.getByLabel("Name").fill("engineer");
    await page.getByLabel("Password").fill(`guess ${i}`);
    const answered = page.waitForResponse("**/api/session");
    await page.getByRole("button", { name: "Sign in" }).click();
    await answered;
  }
  await expect(page.getByText(/too many wrong passwords from here/)).toBeVisible();
});
