import type { Frames } from "../units";
import type { Arena } from "../engine/arena";

/** Holds a stereo signal back by a lookahead and applies gains to it as it leaves. */
export class Lookahead {
  private readonly ringLeft: Float32Array;
  private readonly ringRight: Float32Array;
  private slot = 0;
  private silentRun: Frames;

  constructor(private readonly length: Frames, arena: Arena) {
    this.ringLeft = arena.float32(length);
    this.ringRight = arena.float32(length);
    this.silentRun = length;
  }

  /** True when nothing but silence is held. */
  get resting(): boolean {
    return this.silentRun >= this.length;
  }

  /** Frame i leaves with gain i. */
  apply(left: Float32Array, right: Float32Array, gains: Float64Array, frames: Frames): void {
    const { ringLeft, ringRight, length } = this;
    let { slot, silentRun } = this;
    for (let i = 0; i < frames; i++) {
      const gain = gains[i] as number;
      const l = left[i] as number;
      const r = right[i] as number;
      if (length === 0) {
        left[i] = l * gain;
        right[i] = r * gain;
        continue;
      }
      silentRun = l === 0 && r === 0 ? silentRun + 1 : 0;
      left[i] = (ringLeft[slot] as number) * gain;
      right[i] = (ringRight[slot] as number) * gain;
      ringLeft[slot] = l;
      ringRight[slot] = r;
      slot = slot + 1 === length ? 0 : slot + 1;
    }
    this.slot = slot;
    this.silentRun = silentRun;
  }
}
