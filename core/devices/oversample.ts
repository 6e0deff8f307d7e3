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
