import type { Frames } from "../units";
import type { Arena } from "../kernels/arena";
import type { Doubles, Floats, Ints } from "../kernels/kernels";

const RUN = 1;

/** Holds a stereo signal back by a lookahead and applies gains to it as it leaves. */
export class Lookahead {
  private readonly ring: Floats;
  /** Place in the ring, and the run of silent frames that went in. */
  private readonly counts: Ints;

  constructor(
    private readonly length: Frames,
    private readonly arena: Arena,
  ) {
    this.ring = arena.float32(2 * length);
    this.counts = arena.int32(2);
    this.counts[RUN] = length;
  }

  /** True when nothing but silence is held. */
  get resting(): boolean {
    return (this.counts[RUN] as number) >= this.length;
  }

  /** Frame i leaves with gain i. */
  apply(left: Floats, right: Floats, gains: Doubles, frames: Frames): void {
    this.arena.kernels.applyGains(
      left.address,
      right.address,
      frames,
      gains.address,
      this.ring.address,
      this.length,
      this.counts.address,
    );
  }
}
