import type { PlaywrightTestConfig } from "@playwright/test";

/** Debian's Chromium, without a window. */
export const chromium: PlaywrightTestConfig["use"] = {
  viewport: { width: 1280, height: 800 },
  launchOptions: {
    executablePath: "/usr/bin/chromium",
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
