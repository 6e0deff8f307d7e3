import type { Proof } from "../../core/proof/proof";
import type { HoldToFreshTask, ListenToPackageTask } from "../proof/prove";
import { proofOf } from "../proof/prove";
import { TaskFailed } from "../threads/thread-messages";
import type { TaskOptions, ThreadPool } from "../threads/threads";

/**
 * Proves a package on two threads at once: one reads and measures it, the other renders everything again and holds each
 * file to that.
 */
export async function provePackage(
  order: Omit<ListenToPackageTask, "kind"> & Omit<HoldToFreshTask, "kind">,
  pool: ThreadPool,
  { signal, onProgress }: TaskOptions,
): Promise<Proof> {
  const { session, plan, zipPath, wholePath, dataRoot } = order;
  const stop = new AbortController();
  const both = AbortSignal.any([signal, stop.signal]);
  const parts = { listen: 0, hold: 0 };
  const reportPart = (which: keyof typeof parts) => (thousandths: number) => {
    parts[which] = thousandths / 1000;
    onProgress?.(0.3 * parts.listen + 0.7 * parts.hold);
  };
  const runs = [
    pool.run<"listen to package">(
      { kind: "listen to package", zipPath, wholePath, dataRoot },
      { signal: both, onProgress: reportPart("listen") },
    ),
    pool.run<"hold to fresh">(
      { kind: "hold to fresh", session, plan, zipPath, dataRoot },
      { signal: both, onProgress: reportPart("hold") },
    ),
  ] as const;
  for (const run of runs) run.catch(() => stop.abort());
  const [heard, contents] = await Promise.allSettled(runs);
  if (heard.status === "fulfilled" && contents.status === "fulfilled")
    return proofOf(session, plan, heard.value, contents.value);
  const failures = [heard, contents].flatMap((r) => (r.status === "rejected" ? [r.reason as unknown] : []));
  throw failures.find((f) => !(f instanceof TaskFailed && f.fault.kind === "cancelled")) ?? failures[0];
}
