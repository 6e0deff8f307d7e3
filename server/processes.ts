import { readFileSync, readdirSync } from "node:fs";

/** A process as no other can be taken for it: its number may be given to another, its beginning is its own. */
export interface ProcessId {
  readonly pid: number;
  /** Clock ticks since the machine started, as the kernel tells them. */
  readonly since: string;
}

interface Stat {
  readonly state: string;
  readonly parent: number;
  readonly since: string;
  /** Processor time it has used, its own and the kernel's for it, in clock ticks. */
  readonly ticks: number;
}

/** What the kernel says of a process; null: none. proc(5), /proc/pid/stat: the second field may hold spaces. */
function statOf(pid: number): Stat | null {
  try {
    const fields = readFileSync(`/proc/${pid}/stat`, "utf8")
      .replace(/^.*\) /s, "")
      .split(" ");
    const [state = "", parent = "0"] = fields;
    // A process that has ended and is not waited for is none.
    return state === "Z"
      ? null
      : { state, parent: Number(parent), since: fields[19] ?? "", ticks: Number(fields[11]) + Number(fields[12]) };
  } catch {
    return null;
  }
}

export function identityOf(pid: number): ProcessId | null {
  const stat = statOf(pid);
  return stat && { pid, since: stat.since };
}

export const isThere = ({ pid, since }: ProcessId): boolean => statOf(pid)?.since === since;

/** Those that a process has started. */
export const childrenOf = (parent: number): readonly ProcessId[] =>
  readdirSync("/proc").flatMap((name) => {
    const stat = /^\d+$/.test(name) ? statOf(Number(name)) : null;
    return stat?.parent === parent ? [{ pid: Number(name), since: stat.since }] : [];
  });

/** Whether it is stopped by a signal: it is there, and does nothing. */
export const isStopped = (id: ProcessId): boolean => isThere(id) && /[Tt]/.test(statOf(id.pid)?.state ?? "");

/** Clock ticks a second in /proc: USER_HZ, which is 100 on every Linux of today (proc(5), time(7)). */
const TICKS_A_SECOND = 100;

/**
 * What a process does: whether it is stopped, waits (for anything but a processor), or runs or wants to; and how much
 * processor time it has used, in seconds. Null: it is gone.
 */
export function activityOf(
  pid: number,
): { readonly state: "stopped" | "waits" | "runs"; readonly processorS: number } | null {
  const stat = statOf(pid);
  if (!stat) return null;
  const state = /[Tt]/.test(stat.state) ? "stopped" : stat.state === "R" ? "runs" : "waits";
  return { state, processorS: stat.ticks / TICKS_A_SECOND };
}

/** The nearest of the processes that have started this one whose command is meant; null: none. */
export function ancestor(isMeant: (command: string) => boolean): ProcessId | null {
  for (let pid = process.ppid; pid > 1; pid = statOf(pid)?.parent ?? 0) {
    try {
      if (isMeant(readFileSync(`/proc/${pid}/cmdline`, "utf8"))) return identityOf(pid);
    } catch {
      return null;
    }
  }
  return null;
}

/** Ends processes at once, be they stopped, and resolves when they are gone. What has their number since stays. */
export async function endNow(ids: readonly ProcessId[]): Promise<void> {
  for (const id of ids.filter(isThere)) {
    try {
      process.kill(id.pid, "SIGKILL");
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "ESRCH") throw error;
    }
  }
  for (let tries = 0; ids.some(isThere) && tries < 100; tries++) await new Promise((r) => setTimeout(r, 50));
}
