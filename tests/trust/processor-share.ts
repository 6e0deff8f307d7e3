import { existsSync, mkdirSync, rmdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const PERIOD_US = 100_000;

/** A part of this machine's processors that what is started through it has at most, all together. */
export interface ProcessorShare {
  /** What is put in front of a command. */
  readonly through: readonly string[];
  /** Once nothing of it runs any more. */
  remove(): void;
}

/** Control groups of the kernel, version 2 or 1: cgroups(7). Null: none can be made here. */
export function shareOfProcessor(name: string, processors: number): ProcessorShare | null {
  const quota = Math.round(processors * PERIOD_US);
  const second = existsSync("/sys/fs/cgroup/cgroup.controllers");
  const folder = join(second ? "/sys/fs/cgroup" : "/sys/fs/cgroup/cpu", name);
  try {
    mkdirSync(folder, { recursive: true });
    if (second) writeFileSync(join(folder, "cpu.max"), `${quota} ${PERIOD_US}`);
    else {
      writeFileSync(join(folder, "cpu.cfs_period_us"), String(PERIOD_US));
      writeFileSync(join(folder, "cpu.cfs_quota_us"), String(quota));
    }
  } catch {
    return null;
  }
  return {
    through: ["sh", "-c", `echo $$ > ${join(folder, "cgroup.procs")} && exec "$@"`, "sh"],
    remove: () => {
      try {
        rmdirSync(folder);
      } catch {
        // Something of it is just ending: an empty group is no harm.
      }
    },
  };
}
