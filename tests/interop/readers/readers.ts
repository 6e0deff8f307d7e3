import { execFileSync, spawnSync } from "node:child_process";
import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { CHECKOUT } from "../../../scripts/build";

/** Where `npm test` puts readers of session files that come from PyPI; see `scripts/test.sh`. */
const FOLDER = join(CHECKOUT, ".readers");
const HERE = join(CHECKOUT, "tests", "interop", "readers");

/** Why there are no such readers on this machine; null: there are. */
export function readersMissing(): string | null {
  const why = join(FOLDER, "why-not.txt");
  if (existsSync(why)) return readFileSync(why, "utf8").trim();
  const run = spawnSync("python3", ["-c", "import aaf2, opentimelineio, mido"], { env: environment });
  return run.status === 0 ? null : "they are not installed: npm test installs them where pip reaches them";
}

const environment = { ...process.env, PYTHONPATH: FOLDER, PYTHONDONTWRITEBYTECODE: "1" };

/** Runs a script beside this file; answers with the JSON that it writes. */
export const python = (script: string, ...args: readonly string[]): unknown =>
  JSON.parse(
    execFileSync("python3", [join(HERE, script), ...args], { env: environment, maxBuffer: 1 << 29 }).toString("utf8"),
  );
