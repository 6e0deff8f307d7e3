import type { Arena } from "../kernels/arena";
import type { Floats } from "../kernels/kernels";
import { PI, besselI0, sin } from "../math";

/** Half the taps that round an edge off (the delay, in steps), rows to a step, and the derivatives that may jump. */
export const EDGE_HALF = 8;
const ROWS = 128;
const DERIVATIVES = 3;
/** Points of the integrals to a row. */
const FINE = 8;
/** Of the Kaiser window: side lobes at 60 dB, which saws, falling with their harmonics, bring to 80 below 18 kHz. */
const BETA = 6;

/**
 * What rounds an edge off: the low-passed step less the step, and the same of a ramp and a parabola, each a Kaiser-
 * windowed sinc (cut off at half the rate) integrated once more. Row r holds, for each, the taps at steps -8 to 7 from
 * an edge that lies r / 128 of a step before step 0; 129 rows of 3 times 16 taps.
 */
export function edgeTable(arena: Arena): Floats {
  const table = arena.apart(() => arena.float32((ROWS + 1) * DERIVATIVES * 2 * EDGE_HALF));
  const unit = ROWS * FINE;
  const n = 2 * EDGE_HALF * unit;
  let curve = Float64Array.from({ length: n + 1 }, (_, i) => {
    const t = i / unit - EDGE_HALF;
    const edge = t / EDGE_HALF;
    return (t === 0 ? 1 : sin(PI * t) / (PI * t)) * besselI0(BETA * Math.sqrt(Math.max(0, 1 - edge * edge)));
  });
  const area = curve.reduce((a, b) => a + b, 0);
  curve = curve.map((v) => (v * unit) / area);
  for (let order = 0; order < DERIVATIVES; order++) {
    const integral = new Float64Array(n + 1);
    for (let i = 1; i <= n; i++)
      integral[i] = (integral[i - 1] as number) + ((curve[i - 1] as number) + (curve[i] as number)) / (2 * unit);
    curve = integral;
    for (let r = 0; r <= ROWS; r++)
      for (let k = -EDGE_HALF; k < EDGE_HALF; k++) {
        const t = k + r / ROWS;
        const ideal = k < 0 ? 0 : order === 0 ? 1 : order === 1 ? t : (t * t) / 2;
        table[(r * DERIVATIVES + order) * 2 * EDGE_HALF + k + EDGE_HALF] =
          (curve[Math.round((t + EDGE_HALF) * unit)] as number) - ideal;
      }
  }
  return table;
}

/** Bytes that a voice's edges take, as the kernels lay them out; see `synthLines`. */
export const edgeBytes = (oscillators: number): number => 32 * 130 + 4 * 128 + 5 * 16 + 56 * (26 * oscillators + 30);

/** Where the heads of their lists stand, one for each step of a stretch, in words of four bytes; -1: no edge. */
export const HEADS_AT = (2 * 16 * 130) / 4;
export const MOST_STEPS = 128;

/** Of a voice's buffer: what it is made of, and what rounds it off, both sides of a step side by side. */
export const BUFFER_FLOATS = 2 * 2 * (128 + 18);
