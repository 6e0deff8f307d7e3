import { defineConfig } from "vitest/config";
import { fileURLToPath } from "node:url";

export default defineConfig({
  resolve: { alias: { "@": fileURLToPath(new URL(".", import.meta.url)) } },
  test: {
    include: ["core/**/*.test.ts", "server/**/*.test.ts", "worker/**/*.test.ts", "demo/**/*.test.ts", "ui/**/*.test.ts", "tests/interop/**/*.test.ts"],
    testTimeout: 60_000,
    pool: "threads",
    maxWorkers: 2,
  },
});
