import { expect, test } from "./demo";

// Over HTTP/1.1 a browser opens six connections to a server at most. Eight tabs work at once,
// since they share one stream of events.
test("eight tabs of one browser work at once and follow what changes", async ({ signedIn, demo }) => {
  const context = signedIn.context();
  const tabs = [signedIn];
  while (tabs.length < 8) {
    const tab = await context.newPage();
    await tab.goto(`${demo.url}/permissions`);
    tabs.push(tab);
  }
  for (const tab of tabs.slice(1)) {
    await expect(tab.getByRole("heading", { name: "Permissions" })).toBeVisible();
  }
  await signedIn.goto(`${demo.url}/permissions`);
  await signedIn.getByRole("button", { name: "Move Crew down" }).click();
  for (const tab of tabs) await expect(tab.getByText(/draft: \d+ change/)).toBeVisible();
  await signedIn.getByRole("button", { name: "Move Crew up" }).click();
  for (const tab of tabs) await expect(tab.getByText("draft: no changes")).toBeVisible();
  for (const tab of tabs.slice(1)) await tab.close();
});
