import { FLUSH } from "./states";

export const PEAK_TAPS = 24;

/**
 * `known`, or the largest magnitude of three interpolated points a sample where that is larger, in single precision.
 * The first and the last point mirror each other and the middle one itself; kernels: half a row each of what those two
 * have in common, of what divides them, and of the middle.
 */
export function interpolatedPeak(x: Float32Array, n: number, kernels: Float32Array, known: number): number {
  const f = Math.fround;
  const half = PEAK_TAPS / 2;
  let peak = known;
  for (let i = 0; i < n; i++) {
    let [common, apart, middle] = [0, 0, 0];
    for (let k = 0; k < half; k++) {
      const [v, w] = [x[i + k] as number, x[i + PEAK_TAPS - 1 - k] as number];
      common = f(common + f((kernels[k] as number) * f(v + w)));
      apart = f(apart + f((kernels[half + k] as number) * f(v - w)));
      middle = f(middle + f((kernels[2 * half + k] as number) * f(v + w)));
    }
    peak = Math.max(peak, f(Math.abs(common) + Math.abs(apart)), Math.abs(middle));
  }
  return peak;
}

/** Lowest and highest sample of two channels and zero. */
export function range(left: Float32Array, right: Float32Array, n: number): readonly [low: number, high: number] {
  let low = 0;
  let high = 0;
  for (const x of [left, right]) {
    for (let i = 0; i < n; i++) {
      low = Math.min(low, x[i] as number);
      high = Math.max(high, x[i] as number);
    }
  }
  return [low, high];
}

/** Whether two channels are the same to the last bit. */
export const equal = (left: Float32Array, right: Float32Array, n: number): boolean =>
  left.subarray(0, n).every((v, i) => Object.is(v, right[i]));

/**
 * Sum of squares of two K-weighted channels, added at the end. k: b0 b1 b2 a1 a2 c1 c2; z: x1 x2 y1 y2 z1 z2, left and
 * right of each. ITU-R BS.1770-4, annex 1.
 */
export function kWeightedEnergy(
  left: Float32Array,
  right: Float32Array,
  n: number,
  k: Float64Array,
  z: Float64Array,
): number {
  const [b0 = 0, b1 = 0, b2 = 0, a1 = 0, a2 = 0, c1 = 0, c2 = 0] = k;
  const sums = [left, right].map((x, c) => {
    let [x1 = 0, x2 = 0, y1 = 0, y2 = 0, z1 = 0, z2 = 0] = [0, 1, 2, 3, 4, 5].map((i) => z[2 * i + c] as number);
    let sum = 0;
    for (let i = 0; i < n; i++) {
      const input = x[i] as number;
      const y = b0 * input + b1 * x1 + b2 * x2 - a2 * y2 - a1 * y1;
      const w = y - 2 * y1 + y2 - c2 * z2 - c1 * z1;
      x2 = x1;
      x1 = input;
      y2 = y1;
      y1 = y;
      z2 = z1;
      z1 = w;
      sum += w * w;
    }
    if (Math.abs(y1) < FLUSH) y1 = y2 = 0;
    if (Math.abs(z1) < FLUSH) z1 = z2 = 0;
    [x1, x2, y1, y2, z1, z2].forEach((v, i) => {
      z[2 * i + c] = v;
    });
    return sum;
  });
  return (sums[0] ?? 0) + (sums[1] ?? 0);
}
