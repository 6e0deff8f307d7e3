import { readFileSync } from "node:fs";

/**
 * Ticks of all processors since the machine started, and those of them that other machines on the same hardware had.
 * proc(5), /proc/stat: user, nice, system, idle, iowait, irq, softirq, steal.
 */
function processorTime(): { readonly all: number; readonly stolen: number } {
  const [first = ""] = readFileSync("/proc/stat", "utf8").split("\n");
  const ticks = first.split(/\s+/).slice(1, 9).map(Number);
  return { all: ticks.reduce((sum, n) => sum + n, 0), stolen: ticks[7] ?? 0 };
}

/** Begins to watch; the answer tells what part of this machine's processors others have had since, in percent. */
export function watchStolen(): () => number {
  const began = processorTime();
  return () => {
    const now = processorTime();
    return (100 * (now.stolen - began.stolen)) / Math.max(1, now.all - began.all);
  };
}
