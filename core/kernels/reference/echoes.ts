import { FLUSH, f } from "./states";

/** A cubic through four values around a place between the second and the third (Catmull-Rom). */
export const cubic = (p0: number, p1: number, p2: number, p3: number, x: number): number =>
  p1 + 0.5 * x * (p2 - p0 + x * (2 * p0 - 5 * p1 + 4 * p2 - p3 + x * (3 * (p1 - p2) + p3 - p0)));

export interface Repeating {
  /** Everything that went in, the last at the end, for each side. */
  readonly past: readonly [number[], number[]];
  readonly low: [number, number];
  readonly damp: number;
  delay: number;
  feedback: number;
  cross: number;
  wet: number;
  readonly steps: { readonly delay: number; readonly feedback: number; readonly cross: number; readonly wet: number };
}

/** Repeats of two channels, each darker, that feed each other. */
export function repeat(left: Float32Array, right: Float32Array, n: number, e: Repeating): void {
  const flushed = (x: number) => (Math.abs(x) < FLUSH ? 0 : x);
  for (let i = 0; i < n; i++) {
    for (const name of ["delay", "feedback", "cross", "wet"] as const) e[name] += e.steps[name];
    const back = e.delay - 1;
    const whole = Math.floor(back);
    e.past.forEach((past, side) => {
      const at = (k: number) => past.at(-1 - whole + k) ?? 0;
      // Before there is anything newer, a ring holds what is oldest in its place; a delay of less than two frames never
      // reads it.
      e.low[side] = flushed(
        cubic(at(1), at(0), at(-1), at(-2), back - whole) * (1 - e.damp) + (e.low[side] as number) * e.damp,
      );
    });
    const [a, b] = e.low;
    for (const [side, x, own, other] of [
      [0, left, a, b],
      [1, right, b, a],
    ] as const) {
      const input = x[i] as number;
      (e.past[side] as number[]).push(f(flushed(input + e.feedback * (own * (1 - e.cross) + other * e.cross))));
      x[i] = input * (1 - e.wet) + own * e.wet;
    }
  }
}

export interface Copying {
  /** Everything that went in, the last at the end, for each side. */
  readonly past: readonly [number[], number[]];
  wet: number;
  readonly wetStep: number;
  /** Two delays a side, in frames before the last that went in. */
  readonly delays: readonly [number[], number[]];
  readonly steps: readonly [number[], number[]];
}

/** Two copies a side at delays of their own, which are at least one frame. */
export function copies(left: Float32Array, right: Float32Array, n: number, c: Copying): void {
  for (let i = 0; i < n; i++) {
    c.wet += c.wetStep;
    for (const [side, x] of [
      [0, left],
      [1, right],
    ] as const) {
      const past = c.past[side];
      const input = x[i] as number;
      past.push(input);
      const [a, b] = c.delays[side].map((delay) => {
        const whole = Math.floor(delay);
        const at = (k: number) => past.at(-1 - whole + k) ?? 0;
        return cubic(at(1), at(0), at(-1), at(-2), delay - whole);
      });
      x[i] = input * (1 - c.wet) + 0.6 * c.wet * ((a as number) + (b as number));
      c.delays[side].forEach((delay, k) => {
        c.delays[side][k] = delay + (c.steps[side][k] as number);
      });
    }
  }
}
