import { spawn } from "node:child_process";
import { mkdirSync, readFileSync, rmSync } from "node:fs";
import { join, relative } from "node:path";
import { CHECKOUT } from "./build";

interface Counts {
  readonly passed: number;
  readonly failed: number;
  /** What failed, by name and with the first line of why: repeated at the end, where nothing hides it. */
  readonly failures: readonly string[];
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
  readonly testResults: readonly {
    readonly name: string;
    readonly status: string;
    readonly message: string;
    readonly assertionResults: readonly {
      readonly status: string;
      readonly fullName: string;
      readonly failureMessages: readonly string[];
    }[];
  }[];
}
interface PlaywrightSuite {
  readonly specs: readonly {
    readonly title: string;
    readonly file: string;
    readonly line: number;
    readonly tests: readonly {
      readonly status: "expected" | "unexpected" | "flaky" | "skipped";
      readonly results: readonly { readonly error?: { readonly message?: string } }[];
    }[];
  }[];
  readonly suites?: readonly PlaywrightSuite[];
}
interface PlaywrightReport {
  readonly stats: { readonly expected: number; readonly unexpected: number; readonly flaky: number };
  readonly errors: readonly { readonly message?: string }[];
  readonly suites: readonly PlaywrightSuite[];
}

// Colours of a terminal (ECMA-48, SGR) that runners put into what they report.
const withoutColours = (text: string) => text.replace(/\u001b\[[\d;]*m/g, "");
/** As much of why something failed as tells what it was. */
const brief = (name: string, why = "") =>
  [name, ...withoutColours(why).split("\n").filter(Boolean).slice(0, 8)].join("\n    ");

const failuresOfVitest = ({ testResults }: VitestReport): string[] =>
  testResults.flatMap(({ name, status, message, assertionResults }) => {
    const file = relative(CHECKOUT, name);
    const failed = assertionResults
      .filter((a) => a.status === "failed")
      .map((a) => brief(`${file}: ${a.fullName}`, a.failureMessages[0]));
    // A file may fail without any test of it: it cannot be loaded, or something before or after its tests throws.
    return failed.length > 0 || status === "passed" ? failed : [brief(file, message)];
  });

const failuresOfPlaywright = ({ specs, suites = [] }: PlaywrightSuite): string[] => [
  ...specs.flatMap(({ title, file, line, tests }) =>
    tests
      .filter((t) => t.status === "unexpected" || t.status === "flaky")
      .map((t) => {
        const why = t.results.find((r) => r.error)?.error?.message;
        return brief(`${file}:${line}: ${title}${t.status === "flaky" ? " (passed when tried again)" : ""}`, why);
      }),
  ),
  ...suites.flatMap(failuresOfPlaywright),
];

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
        // Failed files of which no test has failed count too.
        failed: Math.max(r.numFailedTests, failuresOfVitest(r).length),
        failures: failuresOfVitest(r),
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
        failures: [
          ...r.errors.map(({ message }) => brief("outside of any test", message)),
          ...r.suites.flatMap(failuresOfPlaywright),
        ],
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
  const failures = all.flatMap((c) => c.failures);
  if (failures.length > 0) console.log(`\n== what did not go as it should\n${failures.join("\n")}`);
  const sum = (of: "passed" | "failed") => all.reduce((n, c) => n + c[of], 0);
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
  const counts = part.report
    ? countOf(part.report)
    : { passed: ok ? 1 : 0, failed: ok ? 0 : 1, failures: ok ? [] : [part.name] };
  console.log(`== ${part.name}: ${ok ? "passed" : "FAILED"} in ${((performance.now() - began) / 1000).toFixed(0)} s`);
  // A runner that fails without a failed test has failed all the same.
  if (ok || counts.failed > 0) return counts;
  return { ...counts, failed: 1, failures: [...counts.failures, `${part.name}: the runner failed`] };
}

function countOf({ path, count }: NonNullable<Part["report"]>): Counts {
  try {
    return count(JSON.parse(readFileSync(join(CHECKOUT, path), "utf8")) as never);
  } catch (error) {
    return { passed: 0, failed: 1, failures: [brief(path, String(error))] };
  }
}

await main();
