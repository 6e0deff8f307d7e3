import { FLUSH, QUANTUM } from "./states";

/**
 * One second-order section over two channels. k: b0 b1 b2 a1 a2; z: l1 r1 l2 r2, states of the transposed direct form
 * II, which the first two frames of a quantum use; the others are made of the inputs and outputs before them (direct
 * form I). A flat section stays with its states and gives its input.
 */
export function biquad(
  left: Float32Array,
  right: Float32Array,
  frames: number,
  k: Float64Array,
  z: Float64Array,
): void {
  const [b0 = 0, b1 = 0, b2 = 0, a1 = 0, a2 = 0] = k;
  const flat = b0 === 1 && b1 === a1 && b2 === a2;
  for (const [c, x] of [left, right].entries()) {
    let z1 = z[c] as number;
    let z2 = z[c + 2] as number;
    for (let from = 0; from < frames; from += QUANTUM) {
      let x1 = 0,
        x2 = 0,
        y1 = 0,
        y2 = 0;
      for (let i = from; i < from + QUANTUM; i++) {
        const now = x[i] as number;
        const stateful = flat || i < from + 2;
        const y = stateful ? b0 * now + z1 : b0 * now + b1 * x1 + b2 * x2 - a2 * y2 - a1 * y1;
        if (stateful) {
          z1 = b1 * now + z2 - a1 * y;
          z2 = b2 * now - a2 * y;
        }
        [x2, x1, y2, y1] = [x1, now, y1, y];
        x[i] = y;
      }
      if (!flat) {
        z1 = b1 * x1 - a1 * y1 + (b2 * x2 - a2 * y2);
        z2 = b2 * x1 - a2 * y1;
      }
      if (Math.abs(z1) < FLUSH && Math.abs(z2) < FLUSH) z1 = z2 = 0;
    }
    z[c] = z1;
    z[c + 2] = z2;
  }
}

/**
 * A state-variable filter in its trapezoidal form over two channels. z: the two states of the left channel, then of the
 * right one. Coefficient, damping and wet part move by a step before each frame. shape: low, band or high pass.
 */
export function sweep(
  left: Float32Array,
  right: Float32Array,
  frames: number,
  z: Float64Array,
  coefficient: number,
  coefficientStep: number,
  damping: number,
  dampingStep: number,
  wet: number,
  wetStep: number,
  shape: number,
): void {
  for (const [c, x] of [left, right].entries()) {
    let s1 = z[2 * c] as number;
    let s2 = z[2 * c + 1] as number;
    let [g, k, w] = [coefficient, damping, wet];
    for (let from = 0; from < frames; from += QUANTUM) {
      for (let i = from; i < from + QUANTUM; i++) {
        g += coefficientStep;
        k += dampingStep;
        w += wetStep;
        const input = x[i] as number;
        const high = (input - (g + k) * s1 - s2) / (1 + g * (g + k));
        const band = g * high + s1;
        const low = g * band + s2;
        s1 = g * high + band;
        s2 = g * band + low;
        // A band pass of unity at its centre.
        const out = shape === 0 ? low : shape === 1 ? band * k : high;
        x[i] = input + w * (out - input);
      }
      if (Math.abs(s1) < FLUSH && Math.abs(s2) < FLUSH) s1 = s2 = 0;
    }
    z[2 * c] = s1;
    z[2 * c + 1] = s2;
  }
}
