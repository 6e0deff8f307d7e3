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
