import { f } from "./states";

function dot(x: Float32Array, from: number, kernel: Float32Array, row: number, taps: number): number {
  const lanes = new Float32Array(4);
  for (let k = 0; k < taps; k++)
    lanes[k % 4] = f((lanes[k % 4] as number) + f((x[from + k] as number) * (kernel[row + k] as number)));
  const [a = 0, b = 0, c = 0, e = 0] = lanes;
  return f(f(a + b) + f(c + e));
}

/** out[i] += the sum of `taps` inputs from i * over on, weighted. */
export function decimate(
  out: Float32Array,
  input: Float32Array,
  frames: number,
  over: number,
  kernel: Float32Array,
  taps: number,
): void {
  for (let i = 0; i < frames; i++) out[i] = f((out[i] as number) + dot(input, i * over, kernel, 0, taps));
}

/** out[i * over + p] = the sum of `taps` inputs from i on, weighted by row p of the kernel. */
export function interpolate(
  out: Float32Array,
  input: Float32Array,
  frames: number,
  over: number,
  kernel: Float32Array,
  taps: number,
): void {
  for (let i = 0; i < frames; i++)
    for (let p = 0; p < over; p++) out[i * over + p] = dot(input, i, kernel, p * taps, taps);
}

/** A recording read at any rate: see the kernel. */
export function readBetween(
  out: Float32Array,
  x: Float32Array,
  n: number,
  position: number,
  step: number,
  first: number,
  table: Float32Array,
  phases: number,
): void {
  for (let i = 0; i < n; i++) {
    const at = position + i * step;
    const whole = Math.floor(at);
    const phase = (at - whole) * phases;
    const row = Math.floor(phase) * 32;
    const part = f(phase - Math.floor(phase));
    const lanes = new Float32Array(4);
    for (let k = 0; k < 32; k++) {
      const a = table[row + k] as number;
      const h = f(a + f(part * f((table[row + 32 + k] as number) - a)));
      lanes[k % 4] = f((lanes[k % 4] as number) + f(h * (x[whole - 15 - first + k] as number)));
    }
    const [a = 0, b = 0, c = 0, d = 0] = lanes;
    out[i] = f(f(a + b) + f(c + d));
  }
}
