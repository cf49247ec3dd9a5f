import { defineConfig } from "@playwright/test";
import { chromium } from "./chromium";

export default defineConfig({
  testDir: ".",
  testMatch: "*.spec.ts",
  workers: 1,
  retries: 0,
  reporter: "list",
  timeout: 300_000,
  expect: { timeout: 30_000 },
  use: { ...chromium, screenshot: "only-on-failure" },
});
