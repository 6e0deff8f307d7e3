import { f } from "./states";

/** Odd, smooth, bounded by 1: a rational tanh, exact at 0 and flat at 3, in single precision. */
export function saturate(value: number): number {
  const x = Math.max(-3, Math.min(3, value));
  const z = f(x * x);
  return f(f(x * f(27 + z)) / f(27 + f(9 * z)));
}

/** x = curve(drive * x + bias) - curve(bias), drive and bias moving by a step a sample. */
export function drive(
  x: Float32Array,
  n: number,
  gain: number,
  gainStep: number,
  bias: number,
  biasStep: number,
): void {
  for (let i = 0; i < n; i++) {
    const g = f(f(gain) + f(f(gainStep) * (i + 1)));
    const b = f(f(bias) + f(f(biasStep) * (i + 1)));
    x[i] = f(saturate(f(f(g * (x[i] as number)) + b)) - saturate(b));
  }
}
