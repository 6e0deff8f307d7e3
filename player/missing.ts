import type { Frames } from "../core/units";

/** Missing sound is told at once, and then no more often than this: a page that is told each time falls behind too. */
const TELL_EVERY_MS = 100;

/** Gathers how much sound was missing, quantum by quantum. */
export class Missing {
  private frames: Frames = 0;
  private toldAtMs = -Infinity;

  add(frames: Frames): void {
    this.frames += frames;
  }

  /** Calls `tell` with what is missing since it was last told, where there is any and it is time. */
  tell(nowMs: number, tell: (frames: Frames) => void): void {
    if (this.frames === 0 || nowMs - this.toldAtMs < TELL_EVERY_MS) return;
    tell(this.frames);
    this.frames = 0;
    this.toldAtMs = nowMs;
  }
}
