import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { CHECKOUT } from "../../scripts/build";

/** What `npm test` installs from PyPI: readers of session files, a maker of requests, a stand-in for a bucket. */
export type PythonTools = "sessions" | "requests" | "bucket";

export const folderOf = (tools: PythonTools): string => join(CHECKOUT, ".readers", tools);

/** Why they are not on this machine; null: they are. */
export function toolsMissing(tools: PythonTools): string | null {
  const why = join(folderOf(tools), "why-not.txt");
  if (existsSync(why)) return readFileSync(why, "utf8").trim();
  return existsSync(join(folderOf(tools), "what.txt"))
    ? null
    : "it is not installed: npm test installs it where pip reaches it";
}

export const pythonEnvironment = (tools: PythonTools): NodeJS.ProcessEnv => ({
  ...process.env,
  PYTHONPATH: folderOf(tools),
  PYTHONDONTWRITEBYTECODE: "1",
});
