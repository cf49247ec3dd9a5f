import { defineConfig } from "@playwright/test";
import { chromium } from "./chromium";

// Takes the pictures in docs/screenshots from a demo that runs:
//   SWITCHBACK_URL=http://127.0.0.1:8480 SIGN_IN=password npm run screenshots
export default defineConfig({
  testDir: ".",
  testMatch: "screenshots.ts",
  workers: 1,
  reporter: "line",
  timeout: 120_000,
  use: { ...chromium, baseURL: process.env.SWITCHBACK_URL ?? "http://127.0.0.1:8480" },
});
