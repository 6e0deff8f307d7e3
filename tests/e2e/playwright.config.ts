import { defineConfig } from "@playwright/test";
import { CHROMIUM } from "../../scripts/chromium";

const TOGETHER = /(access|clips|edit|handoff|http|import|intake|print|prints|routing|shelf|stems)\.spec\.ts$/;

export default defineConfig({
  testDir: ".",
  outputDir: "../../test-results",
  globalSetup: "./global-setup.ts",
  timeout: 180_000,
  expect: { timeout: 15_000 },
  workers: 2,
  fullyParallel: false,
  projects: [
    // What waits for hands and drawings more than for the processor.
    { name: "together", testMatch: TOGETHER },
    // What plays, measures or ends processes: one at a time, and nothing else meanwhile.
    { name: "alone", testIgnore: TOGETHER, workers: 1 },
  ],
  forbidOnly: true,
  // A test that passes only when tried again is named as flaky at the end, and is to be mended.
  retries: 1,
  reporter: [["list"], ["json", { outputFile: `../../test-results/${process.env["STEMZO_RESULTS"] ?? "e2e"}.json` }]],
  use: {
    viewport: { width: 1280, height: 800 },
    // Tracing draws every step anew, which takes a third of the time: asked for where something fails.
    trace: process.env["STEMZO_TRACE"] ? "retain-on-failure" : "off",
    screenshot: "only-on-failure",
    actionTimeout: 20_000,
    launchOptions: CHROMIUM,
  },
});
