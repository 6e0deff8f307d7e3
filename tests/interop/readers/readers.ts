import { execFileSync } from "node:child_process";
import { join } from "node:path";
import { CHECKOUT } from "../../../scripts/build";
import { pythonEnvironment, toolsMissing } from "../../setup/python-tools";

const HERE = join(CHECKOUT, "tests", "interop", "readers");

/** Why there are no readers of session files by others on this machine; null: there are. */
export const readersMissing = (): string | null => toolsMissing("sessions");

/** Runs a script beside this file; answers with the JSON that it writes. */
export const python = (script: string, ...args: readonly string[]): unknown =>
  JSON.parse(
    execFileSync("python3", [join(HERE, script), ...args], {
      env: pythonEnvironment("sessions"),
      maxBuffer: 1 << 29,
    }).toString("utf8"),
  );
