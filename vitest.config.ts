import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

export default defineConfig({
  resolve: { alias: { "@": fileURLToPath(new URL(".", import.meta.url)) } },
  test: {
    include: [
      "{core,contract,server,player,worker,demo,ui,scripts}/**/*.test.ts",
      "tests/interop/**/*.test.ts",
      "tests/setup/**/*.test.ts",
      "tests/trust/**/*.test.ts",
    ],
    globalSetup: "tests/setup/global.ts",
    setupFiles: ["tests/setup/patience.ts", "tests/setup/properties.ts", "tests/setup/samples.ts"],
    // What fails says so itself.
    env: { STEMZO_LOG: "silent" },
    expect: { poll: { timeout: 20_000 } },
    testTimeout: 120_000,
    hookTimeout: 120_000,
    pool: "threads",
    maxWorkers: 2,
  },
});
