import { spawn } from "node:child_process";
import { readFileSync } from "node:fs";

/**
 * What a command took as a whole: wall and processor time in seconds, and the largest memory its processes held
 * together.
 */
export interface Took {
  readonly wall: number;
  readonly cpu: number;
  readonly peakMb: number;
}

const POLL_MS = 40;

/** Runs a shell command and measures it with everything it starts. Throws what it said when it fails. */
export function measureCommand(command: string, cwd: string): Promise<Took> {
  return new Promise((resolve, reject) => {
    const child = spawn("bash", ["-c", `TIMEFORMAT='took %R %U %S'; time { ${command}\n}`], {
      cwd,
      stdio: ["ignore", "ignore", "pipe"],
    });
    let said = "";
    let peakKb = 0;
    child.stderr.setEncoding("utf8");
    child.stderr.on("data", (text: string) => {
      said += text;
    });
    const poll = setInterval(() => {
      if (child.pid !== undefined) peakKb = Math.max(peakKb, treeKb(child.pid));
    }, POLL_MS);
    child.once("close", (code) => {
      clearInterval(poll);
      const times = /took ([\d.]+) ([\d.]+) ([\d.]+)/.exec(said);
      if (code !== 0 || !times) return reject(new Error(`${command.slice(0, 120)} …\n${said.slice(-2000)}`));
      resolve({ wall: Number(times[1]), cpu: Number(times[2]) + Number(times[3]), peakMb: peakKb / 1024 });
    });
  });
}

/**
 * Resident memory of a process and all below it, in kilobytes. Looks at these alone: what is measured needs the
 * processors.
 */
function treeKb(pid: number): number {
  try {
    const own = Number(/^VmRSS:\s+(\d+)/m.exec(readFileSync(`/proc/${pid}/status`, "utf8"))?.[1] ?? 0);
    const children = readFileSync(`/proc/${pid}/task/${pid}/children`, "utf8").trim();
    return children === "" ? own : children.split(" ").reduce((sum, child) => sum + treeKb(Number(child)), own);
  } catch {
    // Ended while we looked.
    return 0;
  }
}
