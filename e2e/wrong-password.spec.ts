import { expect, test } from "./demo";

test("whoever sits at the machine is never blocked, whatever was typed there", async ({ page, demo }) => {
  await page.goto(demo.url);
  const signIn = async (password: string) => {
    await page.getByLabel("Name").fill("engineer");
    await page.getByLabel("Password").fill(password);
    const answered = page.waitForResponse("**/api/session");
    await page.getByRole("button", { name: "Sign in" }).click();
    await answered;
  };
  for (let i = 0; i < 6; i++) await signIn(`guess ${i}`);
  await expect(page.getByText("the name or the password is wrong")).toBeVisible();
  await signIn(demo.password);
  await expect(page.getByRole("navigation", { name: "Stages" })).toBeVisible();
});
