/**
 * Elementary functions built from + - * / and table look-ups only.
 *
 * The built-in transcendental functions differ in their last bits from one JavaScript engine to the next;
 * these do not, so a print made in a browser equals the server's byte for byte. Relative error is below
 * 1e-15 over the ranges audio needs. Series: Abramowitz & Stegun 4.1-4.3; argument reduction after Cody & Waite.
 */
const LN2_HI = 6.93147180369123816490e-1;
const LN2_LO = 1.90821492927058770002e-10;
const INV_LN2 = 1.44269504088896338700;
const LN10 = 2.302585092994045684;
export const PI = 3.14159265358979323846;
export const TAU = 6.28318530717958647692;

/** Exact powers of two from 2^-1074 to 2^1023. */
const POWERS_OF_TWO = (() => {
  const table = new Float64Array(2098);
  let up = 1;
  for (let k = 0; k <= 1023; k++) { table[k + 1074] = up; up *= 2; }
  let down = 0.5;
  for (let k = 1; k <= 1074; k++) { table[1074 - k] = down; down *= 0.5; }
  return table;
})();

/** e^x. Overflows to Infinity above 709 and reaches 0 below -745. */
export function exp(x: number): number {
  if (x > 709) return Infinity;
  if (x < -745.2) return 0;
  const k = Math.round(x * INV_LN2);
  const r = x - k * LN2_HI - k * LN2_LO;
  let sum = 1 + r / 14;
  for (let n = 13; n >= 1; n--) sum = 1 + (r / n) * sum;
  return k < -1022
    ? sum * (POWERS_OF_TWO[52] ?? 0) * (POWERS_OF_TWO[k + 1022 + 1074] ?? 0)
    : sum * (POWERS_OF_TWO[k + 1074] ?? 0);
}

/** Natural logarithm; -Infinity at 0, NaN below. */
export function log(x: number): number {
  if (!(x > 0)) return x === 0 ? -Infinity : NaN;
  if (x === Infinity) return Infinity;
  let exponent = 0;
  let m = x;
  // Halving by exact powers of two, coarse to fine, leaves m in [1/sqrt2, sqrt2) without touching its bits.
  if (m >= 1.4142135623730951) {
    for (let step = 512; step >= 1; step >>= 1) {
      const scale = POWERS_OF_TWO[1074 - step] ?? 1;
      if (m * scale >= 0.7071067811865476) { m *= scale; exponent += step; }
    }
  } else if (m < 0.7071067811865476) {
    for (let step = 1023; step >= 1; step = step === 1023 ? 512 : step >> 1) {
      const scale = POWERS_OF_TWO[1074 + step] ?? 1;
      while (m * scale < 1.4142135623730951) { m *= scale; exponent -= step; }
    }
  }
  const s = (m - 1) / (m + 1);
  const z = s * s;
  let sum = 1 / 23;
  for (let n = 21; n >= 1; n -= 2) sum = 1 / n + z * sum;
  return exponent * LN2_HI + (2 * s * sum + exponent * LN2_LO);
}

const HALF_PI_1 = 1.57079632673412561417;
const HALF_PI_2 = 6.07710050630396597660e-11;
const HALF_PI_3 = 2.02226624879595063154e-21;

const sinCore = (r: number): number => {
  const z = r * r;
  let sum = 1;
  for (let n = 16; n >= 2; n -= 2) sum = 1 - (z / (n * (n + 1))) * sum;
  return r * sum;
};
const cosCore = (r: number): number => {
  const z = r * r;
  let sum = 1;
  for (let n = 17; n >= 1; n -= 2) sum = 1 - (z / (n * (n + 1))) * sum;
  return sum;
};

/** Sine of an angle in radians, |x| up to about 1e6. */
export function sin(x: number): number {
  const k = Math.round(x / HALF_PI_1);
  const r = x - k * HALF_PI_1 - k * HALF_PI_2 - k * HALF_PI_3;
  switch (((k % 4) + 4) % 4) {
    case 0: return sinCore(r);
    case 1: return cosCore(r);
    case 2: return -sinCore(r);
    default: return -cosCore(r);
  }
}

/** Cosine of an angle in radians, |x| up to about 1e6. */
export function cos(x: number): number {
  const k = Math.round(x / HALF_PI_1);
  const r = x - k * HALF_PI_1 - k * HALF_PI_2 - k * HALF_PI_3;
  switch (((k % 4) + 4) % 4) {
    case 0: return cosCore(r);
    case 1: return -sinCore(r);
    case 2: return -cosCore(r);
    default: return sinCore(r);
  }
}

/** Arc tangent in radians. Reduced twice by atan(x) = 2 atan(x / (1 + sqrt(1 + x^2))), then its series (Abramowitz & Stegun 4.4.42). */
export function atan(x: number): number {
  let t = x;
  let scale = 1;
  for (let halving = 0; halving < 3; halving++) {
    t = t / (1 + Math.sqrt(1 + t * t));
    scale *= 2;
  }
  const z = t * t;
  let sum = 0;
  for (let n = 41; n >= 1; n -= 2) sum = 1 / n - z * sum;
  return scale * t * sum;
}

export const tan = (x: number): number => sin(x) / cos(x);

/** base^exponent for base > 0. */
export const pow = (base: number, exponent: number): number => exp(exponent * log(base));

/** Decibels to a linear factor; exactly 1 at 0 dB, exactly 0 at or below -144 dB. */
export const dbToGain = (db: number): number => (db <= -144 ? 0 : exp((db * LN10) / 20));

/** A linear factor to decibels; -Infinity for 0. */
export const gainToDb = (gain: number): number => (gain <= 0 ? -Infinity : (20 / LN10) * log(gain));

/** Zeroth-order modified Bessel function of the first kind, for Kaiser windows. Abramowitz & Stegun 9.6.12. */
export function besselI0(x: number): number {
  const q = (x * x) / 4;
  let term = 1;
  let sum = 1;
  for (let k = 1; term > sum * 1e-17; k++) {
    term *= q / (k * k);
    sum += term;
  }
  return sum;
}
