import type { Frames } from "../units";
import type { Arena } from "../engine/arena";

const RUN = 1;

/** Holds a stereo signal back by a lookahead and applies gains to it as it leaves. */
export class Lookahead {
  private readonly ring: Float32Array;
  /** Place in the ring, and the run of silent frames that went in. */
  private readonly counts: Int32Array;

  constructor(private readonly length: Frames, private readonly arena: Arena) {
    this.ring = arena.float32(2 * length);
    this.counts = arena.int32(2);
    this.counts[RUN] = length;
  }

  /** True when nothing but silence is held. */
  get resting(): boolean {
    return (this.counts[RUN] as number) >= this.length;
  }

  /** Frame i leaves with gain i. */
  apply(left: Float32Array, right: Float32Array, gains: Float64Array, frames: Frames): void {
    this.arena.kernels.applyGains(left.byteOffset, right.byteOffset, frames, gains.byteOffset, this.ring.byteOffset, this.length, this.counts.byteOffset);
  }
}
