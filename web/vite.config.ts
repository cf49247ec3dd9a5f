import { fileURLToPath } from "node:url";
import tailwind from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwind()],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  build: { outDir: "../internal/webapp/dist", emptyOutDir: false, chunkSizeWarningLimit: 1200 },
  server: { proxy: { "/api": process.env.SWITCHBACK_API ?? "http://127.0.0.1:8480" } },
  // Machines are shared: how long a test takes says little. One worker and one document for all
  // files takes a quarter of the time, and no worker is late to start on a busy machine.
  test: {
    environment: "happy-dom",
    include: ["src/**/*.test.{ts,tsx}"],
    testTimeout: 60_000,
    isolate: false,
    maxWorkers: 1,
  },
});
