import { defineConfig } from "@playwright/test";
import { chromium } from "./chromium";

// Measures ten thousand rules in fifty tables on a demo of its own:
//   npm run load
export default defineConfig({
  testDir: ".",
  testMatch: "load.ts",
  workers: 1,
  reporter: "line",
  timeout: 900_000,
  use: chromium,
});
