import { defineConfig } from "@playwright/test";
import { CHROMIUM } from "../../scripts/chromium";

export default defineConfig({
  testDir: ".",
  outputDir: "../../test-results",
  globalSetup: "./global-setup.ts",
  timeout: 180_000,
  expect: { timeout: 15_000 },
  // Two at a time, but for what listens to sound as it is played and what takes the servers down: those have the machine to themselves, one after the other.
  workers: 2,
  fullyParallel: false,
  projects: [
    { name: "screens", testIgnore: [/play\.spec/, /faults\.spec/] },
    { name: "sound", testMatch: /play\.spec/, dependencies: ["screens"] },
    { name: "faults", testMatch: /faults\.spec/, dependencies: ["sound"] },
  ],
  forbidOnly: true,
  reporter: [["list"], ["json", { outputFile: "../../test-results/e2e.json" }]],
  use: {
    viewport: { width: 1280, height: 800 },
    trace: "retain-on-failure",
    actionTimeout: 20_000,
    launchOptions: CHROMIUM,
  },
});
