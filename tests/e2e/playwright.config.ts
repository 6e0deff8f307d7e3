import { defineConfig } from "@playwright/test";

const LOCAL_ONLY = "MAP * ~NOTFOUND , EXCLUDE localhost, EXCLUDE 127.0.0.1";

export default defineConfig({
  testDir: ".",
  outputDir: "../../test-results",
  globalSetup: "./global-setup.ts",
  timeout: 180_000,
  expect: { timeout: 15_000 },
  workers: 1,
  fullyParallel: false,
  forbidOnly: true,
  reporter: [["list"], ["json", { outputFile: "../../test-results/e2e.json" }]],
  use: {
    viewport: { width: 1280, height: 800 },
    trace: "retain-on-failure",
    actionTimeout: 20_000,
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: [
        "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync",
        "--autoplay-policy=no-user-gesture-required", `--host-resolver-rules=${LOCAL_ONLY}`,
      ],
    },
  },
});
