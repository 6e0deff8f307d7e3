import type { Frames } from "../core/units";

/** Calls that follow each other more closely are one burst. */
const APART_MS = 3;
/** So many bursts until what was usual before is as good as forgotten. */
const MEMORY = 8;

/**
 * How many frames a sound card takes at once: with some browsers a quantum after the other as time goes by, with others
 * many in no time and then none for as long. Allocates nothing: it counts where the sound card calls.
 */
export class Bursts {
  /** The mean of the last ones, about. */
  usual: Frames = 0;
  private last = -Infinity;
  private current: Frames = 0;

  constructor(private readonly nowMs: () => number) {}

  /** So many frames were asked for now. */
  count(frames: Frames): void {
    const now = this.nowMs();
    if (now - this.last >= APART_MS) {
      this.usual += (this.current - this.usual) / MEMORY;
      this.current = 0;
    }
    this.last = now;
    this.current += frames;
  }
}
