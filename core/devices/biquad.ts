import { PI, TAU, cos, pow, sin } from "../math";
import type { Db, Hertz } from "../units";
import type { Arena } from "../kernels/arena";
import { FLUSH } from "./device";
import type { Doubles, Floats } from "../kernels/kernels";

/** Normalised coefficients (a0 = 1) of a second-order section. */
export interface BiquadCoefficients {
  readonly b0: number;
  readonly b1: number;
  readonly b2: number;
  readonly a1: number;
  readonly a2: number;
}

/** Filter shapes of the W3C Audio EQ Cookbook (R. Bristow-Johnson). Frequencies are held below 0.49 of the rate. */
export const biquad = {
  bell(hz: Hertz, gain: Db, q: number, rate: Hertz): BiquadCoefficients {
    const { c, alpha } = angles(hz, q, rate);
    const a = pow(10, gain / 40);
    return normalise(1 + alpha * a, -2 * c, 1 - alpha * a, 1 + alpha / a, -2 * c, 1 - alpha / a);
  },
  lowShelf(hz: Hertz, gain: Db, rate: Hertz): BiquadCoefficients {
    const { c, alpha } = angles(hz, Math.SQRT1_2, rate);
    const a = pow(10, gain / 40);
    const s = 2 * Math.sqrt(a) * alpha;
    return normalise(
      a * (a + 1 - (a - 1) * c + s),
      2 * a * (a - 1 - (a + 1) * c),
      a * (a + 1 - (a - 1) * c - s),
      a + 1 + (a - 1) * c + s,
      -2 * (a - 1 + (a + 1) * c),
      a + 1 + (a - 1) * c - s,
    );
  },
  highShelf(hz: Hertz, gain: Db, rate: Hertz): BiquadCoefficients {
    const { c, alpha } = angles(hz, Math.SQRT1_2, rate);
    const a = pow(10, gain / 40);
    const s = 2 * Math.sqrt(a) * alpha;
    return normalise(
      a * (a + 1 + (a - 1) * c + s),
      -2 * a * (a - 1 + (a + 1) * c),
      a * (a + 1 + (a - 1) * c - s),
      a + 1 - (a - 1) * c + s,
      2 * (a - 1 - (a + 1) * c),
      a + 1 - (a - 1) * c - s,
    );
  },
  /** Peak of unity at the centre. */
  bandPass(hz: Hertz, q: number, rate: Hertz): BiquadCoefficients {
    const { c, alpha } = angles(hz, q, rate);
    return normalise(alpha, 0, -alpha, 1 + alpha, -2 * c, 1 - alpha);
  },
  highPass(hz: Hertz, q: number, rate: Hertz): BiquadCoefficients {
    const { c, alpha } = angles(hz, q, rate);
    return normalise((1 + c) / 2, -(1 + c), (1 + c) / 2, 1 + alpha, -2 * c, 1 - alpha);
  },
  lowPass(hz: Hertz, q: number, rate: Hertz): BiquadCoefficients {
    const { c, alpha } = angles(hz, q, rate);
    return normalise((1 - c) / 2, 1 - c, (1 - c) / 2, 1 + alpha, -2 * c, 1 - alpha);
  },
};

function angles(hz: Hertz, q: number, rate: Hertz) {
  const w = (TAU * Math.min(hz, rate * 0.49)) / rate;
  return { c: cos(w), alpha: sin(w) / (2 * q) };
}

const normalise = (b0: number, b1: number, b2: number, a0: number, a1: number, a2: number): BiquadCoefficients => ({
  b0: b0 / a0,
  b1: b1 / a0,
  b2: b2 / a0,
  a1: a1 / a0,
  a2: a2 / a0,
});

/** Magnitude of a section's response at a frequency, as a linear factor; evaluated on the unit circle. */
export function magnitude(k: BiquadCoefficients, hz: Hertz, rate: Hertz): number {
  const w = (2 * PI * hz) / rate;
  const c1 = cos(w),
    s1 = sin(w),
    c2 = cos(2 * w),
    s2 = sin(2 * w);
  const nr = k.b0 + k.b1 * c1 + k.b2 * c2,
    ni = -(k.b1 * s1 + k.b2 * s2);
  const dr = 1 + k.a1 * c1 + k.a2 * c2,
    di = -(k.a1 * s1 + k.a2 * s2);
  return Math.sqrt((nr * nr + ni * ni) / (dr * dr + di * di));
}

/** Magnitude of the pole nearest the unit circle. */
export function poleRadius({ a1, a2 }: BiquadCoefficients): number {
  const disc = a1 * a1 - 4 * a2;
  return disc < 0 ? Math.sqrt(a2) : Math.max(Math.abs(-a1 + Math.sqrt(disc)), Math.abs(-a1 - Math.sqrt(disc))) / 2;
}

/**
 * One section over both channels, its states those of the transposed direct form II in double precision. Works on
 * buffers of its arena.
 */
export class StereoBiquad {
  private readonly coefficients: Doubles;
  private readonly states: Doubles;

  constructor(
    { b0, b1, b2, a1, a2 }: BiquadCoefficients,
    private readonly arena: Arena,
  ) {
    this.coefficients = arena.float64(5);
    this.coefficients.set([b0, b1, b2, a1, a2]);
    this.states = arena.float64(4);
  }

  get resting(): boolean {
    const z = this.states;
    return z[0] === 0 && z[1] === 0 && z[2] === 0 && z[3] === 0;
  }

  /** Filters whole quanta in place. */
  process(left: Floats, right: Floats, frames: number): void {
    this.arena.kernels.biquad(left.address, right.address, frames, this.coefficients.address, this.states.address);
  }

  /**
   * Filters frames `from` to `to`, at most a quantum, in place while the coefficients move in a straight line to
   * `target`.
   */
  glide(target: BiquadCoefficients, left: Floats, right: Floats, from: number, to: number): void {
    const { coefficients: k, states: z } = this;
    const n = to - from;
    let b0 = k[0] as number,
      b1 = k[1] as number,
      b2 = k[2] as number,
      a1 = k[3] as number,
      a2 = k[4] as number;
    const db0 = (target.b0 - b0) / n,
      db1 = (target.b1 - b1) / n,
      db2 = (target.b2 - b2) / n,
      da1 = (target.a1 - a1) / n,
      da2 = (target.a2 - a2) / n;
    let l1 = z[0] as number,
      r1 = z[1] as number,
      l2 = z[2] as number,
      r2 = z[3] as number;
    for (let i = from; i < to; i++) {
      b0 += db0;
      b1 += db1;
      b2 += db2;
      a1 += da1;
      a2 += da2;
      const l = left[i] as number;
      const r = right[i] as number;
      const yl = b0 * l + l1;
      const yr = b0 * r + r1;
      l1 = b1 * l + l2 - a1 * yl;
      l2 = b2 * l - a2 * yl;
      r1 = b1 * r + r2 - a1 * yr;
      r2 = b2 * r - a2 * yr;
      left[i] = yl;
      right[i] = yr;
    }
    if (Math.abs(l1) < FLUSH && Math.abs(l2) < FLUSH) l1 = l2 = 0;
    if (Math.abs(r1) < FLUSH && Math.abs(r2) < FLUSH) r1 = r2 = 0;
    z[0] = l1;
    z[1] = r1;
    z[2] = l2;
    z[3] = r2;
    k[0] = target.b0;
    k[1] = target.b1;
    k[2] = target.b2;
    k[3] = target.a1;
    k[4] = target.a2;
  }
}
