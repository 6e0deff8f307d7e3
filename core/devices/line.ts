import type { Frames } from "../units";
import type { Arena } from "../engine/arena";

/** One channel of past signal that can be read between its frames. */
export class DelayLine {
  private readonly ring: Float32Array;
  private head = 0;

  /** Holds `length` frames of past. */
  constructor(length: Frames, arena: Arena) {
    this.ring = arena.float32(length + 4);
  }

  push(x: number): void {
    this.ring[this.head] = x;
    this.head = this.head + 1 === this.ring.length ? 0 : this.head + 1;
  }

  /** The signal `delay` frames before the last one pushed, from 1 to `length`: a cubic through the four frames around it (Catmull-Rom). */
  read(delay: number): number {
    const { ring } = this;
    const size = ring.length;
    const whole = Math.floor(delay);
    const x = delay - whole;
    let at = this.head - 1 - whole;
    if (at < 0) at += size;
    const newer = at + 1 >= size ? at + 1 - size : at + 1;
    const old1 = at - 1 < 0 ? at - 1 + size : at - 1;
    const old2 = at - 2 < 0 ? at - 2 + size : at - 2;
    const p0 = ring[newer] as number, p1 = ring[at] as number, p2 = ring[old1] as number, p3 = ring[old2] as number;
    return p1 + 0.5 * x * (p2 - p0 + x * (2 * p0 - 5 * p1 + 4 * p2 - p3 + x * (3 * (p1 - p2) + p3 - p0)));
  }
}
