import type { Frames } from "../core/units";
import type { JobProgress, JobStatus } from "./job";

export const WAITING: JobProgress = { stage: "waiting for a render process", done: 0, speed: null, secondsLeft: null };

export const isOver = (status: JobStatus): boolean =>
  status === "done" || status === "failed" || status === "cancelled";

/** Progress of a pass that has rendered `frames` of about `total` in `millis`. */
export function passProgress(stage: string, frames: Frames, total: Frames, rate: number, millis: number): JobProgress {
  const done = Math.min(1, frames / Math.max(1, total));
  const running = millis > 200 && frames > 0;
  return {
    stage,
    done,
    speed: running ? frames / rate / (millis / 1000) : null,
    secondsLeft: running && done > 0 ? ((millis / 1000) * (1 - done)) / done : null,
  };
}
