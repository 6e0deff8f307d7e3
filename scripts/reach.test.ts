import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { expect, test } from "vitest";
import { CHECKOUT } from "./build";

/** Files of a folder that are kept under version control. */
const filesOf = (...patterns: readonly string[]): readonly string[] =>
  execFileSync("git", ["ls-files", "--cached", "--others", "--exclude-standard", ...patterns], {
    cwd: CHECKOUT,
    encoding: "utf8",
  })
    .split("\n")
    .filter((f) => /\.tsx?$/.test(f));

const textOf = (file: string): string => readFileSync(join(CHECKOUT, file), "utf8");

/** Files that one imports by value, as far as they are among the given ones. */
function importsOf(file: string, among: ReadonlySet<string>): readonly string[] {
  return [...textOf(file).matchAll(/(?:import|export)\s+(type\s)?[^"';]*from\s+"(\.[^"]+)"/g)].flatMap(
    ([, isType, path = ""]) => {
      const at = join(dirname(file), path);
      const found = [`${at}.ts`, `${at}.tsx`].find((f) => among.has(f));
      return isType === undefined && found !== undefined ? [found] : [];
    },
  );
}

test("unit tests reach at least a third of the interface's lines without a browser", () => {
  const isSource = (f: string) => !f.endsWith(".test.ts") && !f.startsWith("ui/testing/");
  const sources = new Set(filesOf("ui").filter(isSource));
  const reached = new Set<string>();
  const walk = (file: string) => {
    if (reached.has(file)) return;
    reached.add(file);
    importsOf(file, sources).forEach(walk);
  };
  for (const test of filesOf("*.test.ts")) importsOf(test, sources).forEach(walk);
  const linesOf = (files: ReadonlySet<string>) => [...files].reduce((n, f) => n + textOf(f).split("\n").length, 0);
  expect(linesOf(reached) / linesOf(sources)).toBeGreaterThan(1 / 3);
});
