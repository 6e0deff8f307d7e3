import { spawnSync } from "node:child_process";
import { mkdirSync, readFileSync, rmSync } from "node:fs";
import { join } from "node:path";
import { CHECKOUT } from "./build";

/** Runs every check and every test, one after another, and ends with one line of counts. */
interface Part {
  readonly name: string;
  readonly command: readonly string[];
  /** A report to count tests in; without one the part itself is one check. */
  readonly report?: {
    readonly path: string;
    readonly count: (json: never) => { readonly passed: number; readonly failed: number };
  };
}

const bin = (name: string) => join("node_modules/.bin", name);
const RESULTS = "test-results";

interface VitestReport {
  readonly numPassedTests: number;
  readonly numFailedTests: number;
  readonly numFailedTestSuites: number;
}
interface PlaywrightReport {
  readonly stats: { readonly expected: number; readonly unexpected: number; readonly flaky: number };
  readonly errors: readonly unknown[];
}

const parts: readonly Part[] = [
  {
    name: "types of the core, without DOM and Node",
    command: [process.execPath, "node_modules/ts7/bin/tsc", "-p", "core", "--incremental", "false"],
  },
  { name: "types", command: [process.execPath, "node_modules/ts7/bin/tsc", "-p", ".", "--incremental", "false"] },
  { name: "format", command: [bin("prettier"), "--check", "--log-level", "warn", "."] },
  { name: "lint", command: [bin("eslint"), ".", "--max-warnings", "0"] },
  {
    name: "boundaries",
    command: [bin("depcruise"), "core", "contract", "server", "worker", "player", "app", "ui", "demo", "scripts"],
  },
  { name: "unused code", command: [bin("knip")] },
  {
    name: "unit and property tests",
    command: [bin("vitest"), "run", "--reporter=default", "--reporter=json", `--outputFile.json=${RESULTS}/unit.json`],
    report: {
      path: `${RESULTS}/unit.json`,
      count: (r: VitestReport) => ({
        passed: r.numPassedTests,
        failed: r.numFailedTests + (r.numFailedTests === 0 ? r.numFailedTestSuites : 0),
      }),
    },
  },
  {
    name: "end to end in Chromium",
    command: [bin("playwright"), "test", "-c", "tests/e2e/playwright.config.ts"],
    report: {
      path: `${RESULTS}/e2e.json`,
      count: (r: PlaywrightReport) => ({
        passed: r.stats.expected,
        failed: r.stats.unexpected + r.stats.flaky + r.errors.length,
      }),
    },
  },
];

/** dependency-cruiser that cannot read TypeScript sees no files and finds no fault: a silence that must not count. */
const LEAST_CRUISED = 150;

function main(): void {
  rmSync(join(CHECKOUT, RESULTS), { recursive: true, force: true });
  mkdirSync(join(CHECKOUT, RESULTS));
  let passed = 0;
  let failed = 0;
  for (const part of parts) {
    const began = performance.now();
    const [command = "", ...args] = part.command;
    console.log(`\n== ${part.name}`);
    const cruising = part.name === "boundaries";
    const run = spawnSync(command, args, {
      cwd: CHECKOUT,
      stdio: ["ignore", cruising ? "pipe" : "inherit", "inherit"],
      encoding: "utf8",
      env: { ...process.env, NEXT_TELEMETRY_DISABLED: "1" },
    });
    let ok = run.status === 0;
    if (cruising) {
      process.stdout.write(run.stdout);
      ok &&= Number(/\((\d+) modules/.exec(run.stdout)?.[1] ?? 0) >= LEAST_CRUISED;
    }
    const counts = part.report ? countOf(part.report) : { passed: ok ? 1 : 0, failed: ok ? 0 : 1 };
    passed += counts.passed;
    // A runner that fails without a failed test has failed all the same.
    failed += counts.failed + (!ok && counts.failed === 0 ? 1 : 0);
    console.log(`== ${part.name}: ${ok ? "passed" : "FAILED"} in ${((performance.now() - began) / 1000).toFixed(0)} s`);
  }
  console.log(`\n${passed} passed, ${failed} failed`);
  process.exit(failed === 0 ? 0 : 1);
}

function countOf({ path, count }: NonNullable<Part["report"]>) {
  try {
    return count(JSON.parse(readFileSync(join(CHECKOUT, path), "utf8")) as never);
  } catch {
    return { passed: 0, failed: 1 };
  }
}

main();
