import { spawn } from "node:child_process";
import { mkdirSync, readFileSync, rmSync } from "node:fs";
import { join } from "node:path";
import { CHECKOUT } from "./build";

interface Counts {
  readonly passed: number;
  readonly failed: number;
}

/**
 * Runs every check and every test, and ends with one line of counts. Checks that only read run two at a time; tests one
 * after another, since they wait for each other's processor.
 */
interface Part {
  readonly name: string;
  readonly command: readonly string[];
  /** A report to count tests in; without one the part itself is one check. */
  readonly report?: {
    readonly path: string;
    readonly count: (json: never) => Counts;
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

const checks: readonly Part[] = [
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
];

const tests: readonly Part[] = [
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
    name: "end to end in Chromium and Firefox",
    command: [bin("playwright"), "test", "-c", "tests/e2e/playwright.config.ts"],
    report: {
      path: `${RESULTS}/e2e.json`,
      count: (r: PlaywrightReport) => ({
        // What passed only when tried again is listed by the runner as flaky, by name.
        passed: r.stats.expected + r.stats.flaky,
        failed: r.stats.unexpected + r.errors.length,
      }),
    },
  },
];

/** dependency-cruiser that cannot read TypeScript sees no files and finds no fault: a silence that must not count. */
const LEAST_CRUISED = 150;

async function main(): Promise<void> {
  rmSync(join(CHECKOUT, RESULTS), { recursive: true, force: true });
  mkdirSync(join(CHECKOUT, RESULTS));
  const left = [...checks];
  const inTurn = async (): Promise<Counts[]> => {
    const counts: Counts[] = [];
    for (let part = left.shift(); part; part = left.shift()) counts.push(await runPart(part, "when it ends"));
    return counts;
  };
  const all = (await Promise.all([inTurn(), inTurn()])).flat();
  for (const part of tests) all.push(await runPart(part, "as it comes"));
  const sum = (of: keyof Counts) => all.reduce((n, c) => n + c[of], 0);
  console.log(`\n${sum("passed")} passed, ${sum("failed")} failed`);
  process.exit(sum("failed") === 0 ? 0 : 1);
}

/** Runs a part; what it says is shown as it comes, or together once it ends, so that two at a time do not mix. */
async function runPart(part: Part, shown: "as it comes" | "when it ends"): Promise<Counts> {
  const began = performance.now();
  const [command = "", ...args] = part.command;
  if (shown === "as it comes") console.log(`\n== ${part.name}`);
  const child = spawn(command, args, {
    cwd: CHECKOUT,
    stdio: ["ignore", ...(shown === "as it comes" ? (["inherit", "inherit"] as const) : (["pipe", "pipe"] as const))],
    env: { ...process.env, NEXT_TELEMETRY_DISABLED: "1" },
  });
  let said = "";
  for (const stream of [child.stdout, child.stderr])
    stream?.setEncoding("utf8").on("data", (text: string) => void (said += text));
  const status = await new Promise<number | null>((done, fail) => void child.on("error", fail).on("close", done));
  let ok = status === 0;
  if (part.name === "boundaries") ok &&= Number(/\((\d+) modules/.exec(said)?.[1] ?? 0) >= LEAST_CRUISED;
  if (shown === "when it ends") process.stdout.write(`\n== ${part.name}\n${said}`);
  const counts = part.report ? countOf(part.report) : { passed: ok ? 1 : 0, failed: ok ? 0 : 1 };
  console.log(`== ${part.name}: ${ok ? "passed" : "FAILED"} in ${((performance.now() - began) / 1000).toFixed(0)} s`);
  // A runner that fails without a failed test has failed all the same.
  return { passed: counts.passed, failed: counts.failed + (!ok && counts.failed === 0 ? 1 : 0) };
}

function countOf({ path, count }: NonNullable<Part["report"]>): Counts {
  try {
    return count(JSON.parse(readFileSync(join(CHECKOUT, path), "utf8")) as never);
  } catch {
    return { passed: 0, failed: 1 };
  }
}

await main();
