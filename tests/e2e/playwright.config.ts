import { defineConfig } from "@playwright/test";
import { CHROMIUM } from "../../scripts/chromium";

export default defineConfig({
  testDir: ".",
  outputDir: "../../test-results",
  globalSetup: "./global-setup.ts",
  timeout: 180_000,
  expect: { timeout: 15_000 },
  // One at a time: two keep each other from the processor, and end no sooner.
  workers: 1,
  fullyParallel: false,
  forbidOnly: true,
  // A test that passes only when tried again is named as flaky at the end, and is to be mended.
  retries: 1,
  reporter: [["list"], ["json", { outputFile: "../../test-results/e2e.json" }]],
  use: {
    viewport: { width: 1280, height: 800 },
    // Tracing draws every step anew, which takes a third of the time: asked for where something fails.
    trace: process.env["STEMZO_TRACE"] ? "retain-on-failure" : "off",
    screenshot: "only-on-failure",
    actionTimeout: 20_000,
    launchOptions: CHROMIUM,
  },
});
