import type { Frames } from "../units";

/** Frames that one pair of an overview stands for. */
export const PEAK_FRAMES: Frames = 256;

/** Lowest and highest sample of every `PEAK_FRAMES` frames over both channels, as signed bytes: min, max, min, max... */
export class PeakOverview {
  private readonly pairs: number[] = [];
  private low = 0;
  private high = 0;
  private inPair = 0;

  push(left: Float32Array, right: Float32Array, offset: number, count: Frames): void {
    for (let i = offset; i < offset + count; i++) {
      const l = left[i] as number;
      const r = right[i] as number;
      if (l < this.low) this.low = l;
      if (r < this.low) this.low = r;
      if (l > this.high) this.high = l;
      if (r > this.high) this.high = r;
      if (++this.inPair === PEAK_FRAMES) this.close();
    }
  }

  finish(): Int8Array {
    if (this.inPair > 0) this.close();
    return Int8Array.from(this.pairs);
  }

  private close(): void {
    this.pairs.push(Math.max(-127, Math.floor(this.low * 127)), Math.min(127, Math.ceil(this.high * 127)));
    this.low = this.high = this.inPair = 0;
  }
}
