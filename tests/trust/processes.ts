import { readFileSync, readdirSync } from "node:fs";
import { join } from "node:path";

export type Victim = "web server" | "render process" | "database";
export const VICTIMS: readonly Victim[] = ["web server", "render process", "database"];

const COMMANDS = { "web server": "next", "render process": "main.mjs" } as const;

/** Numbers of the processes of a Stemzo on some data; the web server may have two. Linux alone tells. */
export function processesOf(
  victim: Victim,
  at: { readonly dataRoot: string; readonly databaseFolder: string },
): number[] {
  if (victim === "database") {
    try {
      const note = readFileSync(join(at.databaseFolder, "cluster/postmaster.pid"), "utf8");
      return [Number(note.split("\n")[0])];
    } catch {
      return [];
    }
  }
  return readdirSync("/proc").flatMap((pid) => {
    try {
      const isOne =
        /^\d+$/.test(pid) &&
        readFileSync(`/proc/${pid}/cmdline`, "utf8").includes(COMMANDS[victim]) &&
        readFileSync(`/proc/${pid}/environ`, "utf8").split("\0").includes(`STEMZO_DATA=${at.dataRoot}`);
      return isOne ? [Number(pid)] : [];
    } catch {
      return [];
    }
  });
}
