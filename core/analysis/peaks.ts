import type { Frames } from "../units";

/** Frames that one pair of an overview stands for. */
export const PEAK_FRAMES: Frames = 256;

/** An overview while it grows: lowest and highest value of every `PEAK_FRAMES` frames, as signed bytes, rounded outwards. */
export class PeakPairs {
  private pairs = new Int8Array(4096);
  private length = 0;

  push(low: number, high: number): void {
    if (this.length === this.pairs.length) {
      const grown = new Int8Array(this.pairs.length * 2);
      grown.set(this.pairs);
      this.pairs = grown;
    }
    this.pairs[this.length++] = Math.max(-127, Math.floor(low * 127));
    this.pairs[this.length++] = Math.min(127, Math.ceil(high * 127));
  }

  bytes(): Uint8Array {
    return new Uint8Array(this.pairs.buffer.slice(0, this.length));
  }
}
