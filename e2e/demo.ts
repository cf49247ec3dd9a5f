import { spawn } from "node:child_process";
import { rmSync } from "node:fs";
import path from "node:path";
import { test as base, expect, type Page } from "@playwright/test";

const root = path.resolve(import.meta.dirname, "..");

export interface Demo {
  url: string;
  password: string;
  /** The folder of its data. */
  home: string;
}

/**
 * Runs bin/demo on data of its own, without example calls and draft: the tests place and edit
 * what they look at. Reads the address
 * and the sign-in from what it prints. At the end it is stopped as by Ctrl-C
 * and must leave cleanly.
 */
export const test = base.extend<{ signedIn: Page }, { demo: Demo }>({
  demo: [
    // biome-ignore lint/correctness/noEmptyPattern: Playwright wants the pattern
    async ({}, use) => {
      const home = path.join(root, ".run", `e2e${process.env.E2E_SHARD ?? ""}`);
      rmSync(home, { recursive: true, force: true });
      const demo = spawn(path.join(root, "bin", "demo"), ["--bare", "--http", "127.0.0.1:8580"], {
        cwd: root,
        env: { ...process.env, SWITCHBACK_DEMO_HOME: home },
        detached: true,
      });
      let printed = "";
      const ended = new Promise<number>((done) => demo.on("close", (code) => done(code ?? -1)));
      const ready = new Promise<Demo>((found, failed) => {
        const read = (text: Buffer) => {
          printed += text;
          const url = /ready:\s+(\S+)/.exec(printed)?.[1];
          const password = /with the password\s+(\S+)/.exec(printed)?.[1];
          if (url && password) found({ url, password, home });
        };
        demo.stdout.on("data", read);
        demo.stderr.on("data", read);
        ended.then((code) => failed(new Error(`bin/demo ended with ${code}:\n${printed}`)));
      });
      await use(await ready);
      demo.kill("SIGINT");
      expect(await ended).toBe(130);
      expect(printed).toContain("stopped.");
    },
    { scope: "worker", timeout: 180_000 },
  ],
  signedIn: async ({ page, demo }, use) => {
    await page.goto(demo.url);
    await page.getByLabel("Name").fill("engineer");
    await page.getByLabel("Password").fill(demo.password);
    await page.getByRole("button", { name: "Sign in" }).click();
    await expect(page.getByRole("navigation", { name: "Stages" })).toBeVisible();
    await use(page);
  },
});

/**
 * Makes the draft live from the view of changes: where the rehearsal finds something, it is
 * told first, and a second press goes on.
 */
export async function goLive(page: Page) {
  await page.getByRole("button", { name: /^Go live with \d+ change/ }).click();
  const allTheSame = page.getByRole("button", { name: "Go live anyway" });
  const done = page.getByText(/^Revision \d+ is live/);
  await expect(allTheSame.or(done)).toBeVisible();
  if (await allTheSame.isVisible()) await allTheSame.click();
  await expect(done).toBeVisible();
}

export { expect };

/** Goes to a stop by the stages, as one does with the mouse. */
export async function stop(page: Page, stage: string, name: string) {
  const stages = page.getByRole("navigation", { name: "Stages" });
  await stages.getByRole("link", { name: new RegExp(`^${stage}`) }).click();
  await stages.getByRole("list", { name: `Stops of ${stage}` }).getByRole("link", { name }).click();
}
