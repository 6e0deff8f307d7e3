import { PI, TAU, cos, pow, sin } from "../math";
import type { Db, Hertz } from "../units";
import { FLUSH, QUANTUM } from "./device";

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
      a * (a + 1 - (a - 1) * c + s), 2 * a * (a - 1 - (a + 1) * c), a * (a + 1 - (a - 1) * c - s),
      a + 1 + (a - 1) * c + s, -2 * (a - 1 + (a + 1) * c), a + 1 + (a - 1) * c - s,
    );
  },
  highShelf(hz: Hertz, gain: Db, rate: Hertz): BiquadCoefficients {
    const { c, alpha } = angles(hz, Math.SQRT1_2, rate);
    const a = pow(10, gain / 40);
    const s = 2 * Math.sqrt(a) * alpha;
    return normalise(
      a * (a + 1 + (a - 1) * c + s), -2 * a * (a - 1 + (a + 1) * c), a * (a + 1 + (a - 1) * c - s),
      a + 1 - (a - 1) * c + s, 2 * (a - 1 - (a + 1) * c), a + 1 - (a - 1) * c - s,
    );
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
  b0: b0 / a0, b1: b1 / a0, b2: b2 / a0, a1: a1 / a0, a2: a2 / a0,
});

/** Magnitude of a section's response at a frequency, as a linear factor; evaluated on the unit circle. */
export function magnitude(k: BiquadCoefficients, hz: Hertz, rate: Hertz): number {
  const w = (2 * PI * hz) / rate;
  const c1 = cos(w), s1 = sin(w), c2 = cos(2 * w), s2 = sin(2 * w);
  const nr = k.b0 + k.b1 * c1 + k.b2 * c2, ni = -(k.b1 * s1 + k.b2 * s2);
  const dr = 1 + k.a1 * c1 + k.a2 * c2, di = -(k.a1 * s1 + k.a2 * s2);
  return Math.sqrt((nr * nr + ni * ni) / (dr * dr + di * di));
}

/** One section over both channels, transposed direct form II, states in double precision. */
export class StereoBiquad {
  private l1 = 0;
  private l2 = 0;
  private r1 = 0;
  private r2 = 0;

  constructor(private readonly k: BiquadCoefficients) {}

  get resting(): boolean {
    return this.l1 === 0 && this.l2 === 0 && this.r1 === 0 && this.r2 === 0;
  }

  process(left: Float32Array, right: Float32Array, frames: number): void {
    const { b0, b1, b2, a1, a2 } = this.k;
    let { l1, l2, r1, r2 } = this;
    for (let from = 0; from < frames; from += QUANTUM) {
      const to = from + QUANTUM;
      for (let i = from; i < to; i++) {
        const x = left[i] as number;
        const y = b0 * x + l1;
        l1 = b1 * x - a1 * y + l2;
        l2 = b2 * x - a2 * y;
        left[i] = y;
        const u = right[i] as number;
        const v = b0 * u + r1;
        r1 = b1 * u - a1 * v + r2;
        r2 = b2 * u - a2 * v;
        right[i] = v;
      }
      if (Math.abs(l1) < FLUSH && Math.abs(l2) < FLUSH) l1 = l2 = 0;
      if (Math.abs(r1) < FLUSH && Math.abs(r2) < FLUSH) r1 = r2 = 0;
    }
    this.l1 = l1;
    this.l2 = l2;
    this.r1 = r1;
    this.r2 = r2;
  }
}
