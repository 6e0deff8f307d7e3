import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { folderOf, pythonEnvironment, toolsMissing } from "../setup/python-tools";

/** Requests made from the published description, by schemathesis: what it sent and what was wrong with the answers. */
export interface Fuzzed {
  readonly requests: number;
  /** What it found, in its own words; null: nothing. */
  readonly wrong: string | null;
}

/** Why it cannot be done here; null: it can. */
export const fuzzMissing = (): string | null => toolsMissing("requests");

/**
 * Sends what the description allows and what it does not, valid and broken, to every operation but the stream of
 * events; `examples`: how many each at most in each phase. Held against: no answer of 5xx, statuses and media types as
 * published, bodies as their schemas say.
 */
export async function fuzz(
  address: string,
  { examples, phases, seed }: { readonly examples: number; readonly phases: string; readonly seed: number },
): Promise<Fuzzed> {
  const args = [
    ...[join(folderOf("requests"), "bin/st"), "run", `${address}/api/openapi.json`, "--exclude-path-regex", "/events$"],
    "--checks",
    "not_a_server_error,status_code_conformance,content_type_conformance,response_schema_conformance",
    ...["--phases", phases, "-n", String(examples), "--workers", "2", "--seed", String(seed)],
    ...["--request-timeout", "20", "--no-color", "--continue-on-failure", "--generation-database", "none"],
  ];
  const { code, text } = await new Promise<{ readonly code: number | null; readonly text: string }>(
    (resolve, reject) => {
      // It keeps what it found where it runs.
      const cwd = mkdtempSync(join(tmpdir(), "stemzo-fuzz-"));
      const child = spawn("python3", args, { cwd, env: pythonEnvironment("requests") });
      child.once("close", () => rmSync(cwd, { recursive: true, force: true }));
      let said = "";
      for (const stream of [child.stdout, child.stderr])
        stream.setEncoding("utf8").on("data", (t: string) => (said += t));
      child.once("error", reject);
      child.once("close", (c) => resolve({ code: c, text: said }));
    },
  );
  const requests = Number(/(\d+) generated/.exec(text)?.[1] ?? 0);
  return { requests, wrong: code === 0 && requests > 0 ? null : text };
}
