import type { Arena } from "../kernels/arena";
import type { Floats } from "../kernels/kernels";
import { PI, TAU, besselI0, sin } from "../math";
import type { Frames } from "../units";

/** Half length of the filters in frames of the plain rate: the delay of one of them. */
export const FILTER_HALF: Frames = 16;

/** Taps of a filter at `over` times the rate, filled up to a multiple of four with zeros. */
export const filterTaps = (over: number): number => Math.ceil((2 * FILTER_HALF * over + 1) / 4) * 4;

/** Kaiser-windowed (beta 8, 80 dB) low-pass at 0.45 of the plain rate, unity at zero frequency, into `kernel`. */
export function designLowPass(kernel: Float32Array, over: number): void {
  const half = FILTER_HALF * over;
  const corner = 0.45 / over;
  const values = Float64Array.from({ length: 2 * half + 1 }, (_, k) => {
    const t = k - half;
    const window = besselI0(8 * Math.sqrt(Math.max(0, 1 - (t / half) * (t / half)))) / besselI0(8);
    return (t === 0 ? 2 * corner : sin(TAU * corner * t) / (PI * t)) * window;
  });
  const sum = values.reduce((a, b) => a + b, 0);
  kernel.fill(0);
  values.forEach((v, k) => {
    kernel[k] = v / sum;
  });
}

/** Taps of one row of an interpolator. */
export const ROW_TAPS = 2 * FILTER_HALF + 4;

/**
 * The same low-pass as rows of an interpolator from the plain rate to `over` times it: row p holds the taps for the
 * point p steps after an input frame; every row sums to one, so that a constant stays one.
 */
export function designRows(rows: Float32Array, over: number): void {
  const half = FILTER_HALF * over;
  const kernel = new Float32Array(filterTaps(over));
  designLowPass(kernel, over);
  rows.fill(0);
  for (let p = 0; p < over; p++) {
    let sum = 0;
    for (let k = 0; k <= 2 * FILTER_HALF; k++) {
      // Input k stands at step (k - FILTER_HALF) * over; the point at step p is reached by the tap at their distance.
      const at = half + p - (k - FILTER_HALF) * over;
      const value = at >= 0 && at <= 2 * half ? (kernel[at] as number) : 0;
      rows[p * ROW_TAPS + k] = value;
      sum += value;
    }
    for (let k = 0; k <= 2 * FILTER_HALF; k++) rows[p * ROW_TAPS + k] = (rows[p * ROW_TAPS + k] as number) / sum;
  }
}

/** Stereo at `over` times the rate (2 or 4): voices add to it, and `into` adds it, filtered, to the output. */
export class FastBus {
  readonly left: Floats;
  readonly right: Floats;
  /** Steps in front of a block that the filter still needs: a voice's first step of the block goes there. */
  readonly keep: Frames;
  private readonly kernel: Floats;
  private readonly taps: number;
  /** Steps since a voice was added last; after `keep` of them nothing is left. */
  private quietRun: Frames;

  constructor(
    private readonly arena: Arena,
    private readonly over: number,
    maxFrames: Frames,
  ) {
    this.keep = 2 * FILTER_HALF * over;
    this.taps = filterTaps(over);
    this.kernel = arena.apart(() => arena.float32(this.taps));
    designLowPass(this.kernel, over);
    this.left = arena.float32(this.keep + maxFrames * over + 4);
    this.right = arena.float32(this.keep + maxFrames * over + 4);
    this.quietRun = this.keep;
    arena.keeps(
      () => [this.quietRun],
      ([run = 0]) => {
        this.quietRun = run;
      },
    );
  }

  get quiet(): boolean {
    return this.quietRun >= this.keep;
  }

  /** Adds `frames` frames, late by FILTER_HALF, to two channels from `offset` on. `active`: a voice was added. */
  into(outLeft: Floats, outRight: Floats, offset: Frames, frames: Frames, active: boolean): void {
    const { left, right, keep, over, kernel, taps } = this;
    const done = !active && this.quiet;
    const steps = frames * over;
    this.quietRun = active ? 0 : this.quietRun + steps;
    if (done) return;
    const { decimate } = this.arena.kernels;
    decimate(outLeft.address + 4 * offset, left.address, frames, over, kernel.address, taps);
    decimate(outRight.address + 4 * offset, right.address, frames, over, kernel.address, taps);
    for (const side of [left, right]) {
      side.copyWithin(0, steps, keep + steps);
      side.fill(0, keep, keep + steps);
    }
  }
}
