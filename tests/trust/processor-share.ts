import { existsSync, mkdirSync, rmdirSync, writeFileSync } from "node:fs";

/** A part of the processors' time that what is run through it cannot go beyond. */
export interface ProcessorShare {
  /** What is put in front of a command. */
  readonly through: readonly string[];
  remove(): void;
}

/** Control groups for processor time (version 1), where the kernel shows them. */
const GROUPS = "/sys/fs/cgroup/cpu";
const QUOTA = "cpu.cfs_quota_us";
const PERIOD_US = 100_000;

/** Why no such part can be given here; null: it can. */
export function sharesMissing(): string | null {
  if (!existsSync(`${GROUPS}/tasks`)) return "there are no control groups for processor time";
  return existsSync("/usr/bin/nsenter") ? null : "nsenter is not installed";
}

/**
 * Sets `processors` (1: the whole of one) aside for what is run through it.
 *
 * A process in a namespace of the network does not see control groups, since `ip netns exec` mounts /sys anew. So a
 * command comes back to where this process sees them, enters its group, and goes wherever the rest of it leads.
 */
export function shareOfProcessors(name: string, processors: number): ProcessorShare {
  const group = `${GROUPS}/${name}`;
  if (!existsSync(group)) mkdirSync(group);
  writeFileSync(`${group}/${QUOTA}`, String(Math.round(processors * PERIOD_US)));
  const enter = `echo $$ > ${group}/cgroup.procs && exec "$@"`;
  return {
    through: ["nsenter", `--mount=/proc/${process.pid}/ns/mnt`, "sh", "-c", enter, "sh"],
    remove: () => {
      try {
        rmdirSync(group);
      } catch {
        // Something of it still runs; the group is taken anew the next time.
      }
    },
  };
}
