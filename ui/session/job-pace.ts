import type { Job } from "../../contract/job";

/** `4.2x real time, 12 s left`, as far as it is known. */
export function paceText({ progress }: Job): string {
  const parts = [
    progress.speed === null ? "" : `${progress.speed.toFixed(1)}x real time`,
    progress.secondsLeft === null ? "" : `${Math.ceil(progress.secondsLeft)} s left`,
  ];
  return parts.filter((p) => p !== "").join(", ");
}
