import { saturate } from "./saturation";
import { f } from "./states";

function saw(phase: number, reach: number): number {
  const y = f(f(phase) * f(1 / 2147483648));
  const near = Math.max(0, f(1 - f(f(1 - Math.abs(y)) * reach)));
  const bend = f(near * near);
  return f(y - (phase < 0 || Object.is(y, -0) ? -bend : bend));
}

/** What a voice of the synthesiser is made of, as the kernel lays it out. */
export interface SynthVoice {
  /** Per oscillator: phase step, phase, half a cycle over a step, gains left and right. */
  readonly oscillators: readonly { readonly step: number; phase: number; readonly reach: number; readonly left: number; readonly right: number }[];
  /** Level, a, p, q and output gain, each with its change a step behind it. */
  readonly moving: Float64Array;
  /** l1 r1 l2 r2. */
  readonly states: Float64Array;
  readonly sub: { readonly step: number; phase: number };
}

/** One voice of the synthesiser over four steps of time at once, as far as single precision goes. */
export function synthVoice(left: Float32Array, right: Float32Array, steps: number, { oscillators, moving, states, sub }: SynthVoice, pulse: number, subLevel: number): void {
  const [, levelStep = 0] = moving;
  for (let s = 0; s < steps; s += 4) {
    const n = Math.min(4, steps - s);
    const base = moving[0] as number;
    const driven = Array.from({ length: n }, (_, j) => {
      const sums = [0, 0];
      for (const o of oscillators) {
        const phase = (o.phase + (((j + 1) * o.step) | 0)) | 0;
        let y = saw(phase, o.reach);
        if (pulse > 0) y = f(y - f(f(pulse) * saw(phase ^ 0x80000000, o.reach)));
        sums[0] = f((sums[0] as number) + f(y * o.left));
        sums[1] = f((sums[1] as number) + f(y * o.right));
      }
      if (subLevel > 0) {
        const phase = (sub.phase + (((j + 1) * sub.step) | 0)) | 0;
        const triangle = f(f(Math.abs(f(f(phase) * f(1 / 1073741824))) - 1) * f(subLevel));
        sums[0] = f((sums[0] as number) + triangle);
        sums[1] = f((sums[1] as number) + triangle);
      }
      const loud = f(f(base) + f(f(levelStep) * (j + 1)));
      return sums.map((x) => saturate(f(x * loud)));
    });
    for (const o of oscillators) o.phase = (o.phase + ((n * o.step) | 0)) | 0;
    if (subLevel > 0) sub.phase = (sub.phase + ((n * sub.step) | 0)) | 0;
    moving[0] = base + levelStep * n;
    driven.forEach((both, j) => {
      for (const k of [2, 4, 6, 8]) moving[k] = (moving[k] as number) + (moving[k + 1] as number);
      const [, , a = 0, , p = 0, , q = 0, , post = 0] = moving;
      for (const [side, out] of [left, right].entries()) {
        const s1 = states[side] as number;
        const s2 = states[2 + side] as number;
        const x = (both[side] as number) - s2;
        const next = s2 + p * s1 + q * x;
        states[side] = a * s1 + p * x;
        states[2 + side] = next;
        out[s + j] = f((out[s + j] as number) + f((s2 + next) * post));
      }
    });
  }
}

/** Six decaying modes as two-pole resonators. modes: six each of c1, c2, last and last but one output. */
export function resonate(left: Float32Array, right: Float32Array, n: number, modes: Float64Array, gainLeft: number, gainRight: number): void {
  for (let i = 0; i < n; i++) {
    const y = Array.from({ length: 6 }, (_, m) => (modes[m] as number) * (modes[12 + m] as number) + (modes[6 + m] as number) * (modes[18 + m] as number));
    y.forEach((v, m) => {
      modes[18 + m] = modes[12 + m] as number;
      modes[12 + m] = v;
    });
    const [a = 0, b = 0, c = 0, d = 0, e = 0, g = 0] = y;
    const sum = a + c + e + (b + d + g);
    left[i] = f((left[i] as number) + f(sum * gainLeft));
    right[i] = f((right[i] as number) + f(sum * gainRight));
  }
}

/** Two channels added to two others at a gain that is multiplied by `keep` from frame to frame; returns what the gain has come to. */
export function addFading(outLeft: Float32Array, outRight: Float32Array, left: Float32Array, right: Float32Array, n: number, gain: number, keep: number): number {
  let g = gain;
  for (let i = 0; i < n; i++) {
    outLeft[i] = (outLeft[i] as number) + (left[i] as number) * g;
    outRight[i] = (outRight[i] as number) + (right[i] as number) * g;
    g *= keep;
  }
  return g;
}
