import { existsSync } from "node:fs";
import type { PlaywrightTestConfig } from "@playwright/test";

const shell = "/usr/bin/chromium-headless-shell";

/** Debian's Chromium, without a window: the build that has none, if it is there. */
export const chromium: PlaywrightTestConfig["use"] = {
  viewport: { width: 1280, height: 800 },
  launchOptions: {
    executablePath: existsSync(shell) ? shell : "/usr/bin/chromium",
    args: [
      "--headless",
      "--no-sandbox",
      "--disable-gpu",
      "--disable-quic",
      "--no-first-run",
      "--disable-background-networking",
      "--disable-component-update",
      "--disable-sync",
    ],
  },
};
