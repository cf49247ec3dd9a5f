import { defineConfig } from "@playwright/test";
import { chromium } from "./chromium";

// Measures ten thousand rules in fifty tables, and views of a large plan with 300,000 calls, on a
// demo of its own:
//   npm run load
export default defineConfig({
  testDir: "load",
  testMatch: /(rules|estate)\.ts/,
  workers: 1,
  reporter: "line",
  timeout: 900_000,
  use: chromium,
});
