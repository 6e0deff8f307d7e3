/**
 * Elementary functions built from + - * / and table look-ups only.
 *
 * The built-in transcendental functions differ in their last bits from one JavaScript engine to the next;
 * these do not, so a print made in a browser equals the server's byte for byte. Relative error is below
 * 1e-15 over the ranges audio needs. Series: Abramowitz & Stegun 4.1-4.3; argument reduction after Cody & Waite.
 */
const LN2_HI = 6.9314718036912381649e-1;
const LN2_LO = 1.90821492927058770002e-10;
const INV_LN2 = 1.442695040888963387;
const LN10 = 2.302585092994045684;
export const PI = 3.14159265358979323846;
export const TAU = 6.28318530717958647692;

/** Exact powers of two from 2^-1074 to 2^1023. */
const POWERS_OF_TWO = (() => {
  const table = new Float64Array(2098);
  let up = 1;
  for (let k = 0; k <= 1023; k++) {
    table[k + 1074] = up;
    up *= 2;
  }
  let down = 0.5;
  for (let k = 1; k <= 1074; k++) {
    table[1074 - k] = down;
    down *= 0.5;
  }
  return table;
})();

/** e^x. Overflows to Infinity above 709 and reaches 0 below -745. */
export function exp(x: number): number {
  if (x > 709) return Infinity;
  if (x < -745.2) return 0;
  const k = Math.floor(x * INV_LN2 + 0.5);
  const r = x - k * LN2_HI - k * LN2_LO;
  // The series to r^13, even and odd powers apart: two short chains instead of a long one.
  const q = r * r;
  const sum =
    1.0 +
    q *
      (0.5 +
        q *
          (0.041666666666666664 +
            q *
              (0.001388888888888889 +
                q * (2.48015873015873e-5 + q * (2.755731922398589e-7 + q * 2.08767569878681e-9))))) +
    r *
      (1.0 +
        q *
          (0.16666666666666666 +
            q *
              (0.008333333333333333 +
                q *
                  (0.0001984126984126984 +
                    q * (2.7557319223985893e-6 + q * (2.505210838544172e-8 + q * 1.6059043836821613e-10))))));
  return k < -1022
    ? sum * (POWERS_OF_TWO[52] ?? 0) * (POWERS_OF_TWO[k + 1022 + 1074] ?? 0)
    : sum * (POWERS_OF_TWO[k + 1074] ?? 0);
}

const DOUBLE = new Float64Array(1);
const WORDS = new Uint32Array(DOUBLE.buffer);

/** Natural logarithm; -Infinity at 0, NaN below. */
export function log(x: number): number {
  if (!(x > 0)) return x === 0 ? -Infinity : NaN;
  if (x === Infinity) return Infinity;
  // The exponent is read from the number's bits (IEEE 754, the high word second); what is too small to have one is
  // scaled first.
  const tiny = x < 2.2250738585072014e-308;
  DOUBLE[0] = tiny ? x * 18014398509481984 : x;
  let exponent = ((WORDS[1] as number) >>> 20) - 1023 - (tiny ? 54 : 0);
  WORDS[1] = ((WORDS[1] as number) & 0xfffff) | 0x3ff00000;
  let m = DOUBLE[0] as number;
  if (m >= 1.4142135623730951) {
    m *= 0.5;
    exponent++;
  }
  const s = (m - 1) / (m + 1);
  const z = s * s;
  const sum =
    1.0 +
    z *
      (0.3333333333333333 +
        z *
          (0.2 +
            z *
              (0.14285714285714285 +
                z *
                  (0.1111111111111111 +
                    z *
                      (0.09090909090909091 +
                        z *
                          (0.07692307692307693 +
                            z *
                              (0.06666666666666667 +
                                z *
                                  (0.058823529411764705 +
                                    z *
                                      (0.05263157894736842 +
                                        z * (0.047619047619047616 + z * 0.043478260869565216))))))))));
  return exponent * LN2_HI + (2 * s * sum + exponent * LN2_LO);
}

const INV_HALF_PI = 0.63661977236758134308;
const HALF_PI_1 = 1.57079632673412561417;
const HALF_PI_2 = 6.0771005063039659766e-11;
const HALF_PI_3 = 2.02226624879595063154e-21;

const sinCore = (r: number): number => {
  const z = r * r;
  return (
    r *
    (1.0 +
      z *
        (-0.16666666666666666 +
          z *
            (0.008333333333333333 +
              z *
                (-0.0001984126984126984 +
                  z *
                    (2.7557319223985893e-6 +
                      z *
                        (-2.505210838544172e-8 +
                          z * (1.6059043836821613e-10 + z * (-7.647163731819816e-13 + z * 2.8114572543455206e-15))))))))
  );
};
const cosCore = (r: number): number => {
  const z = r * r;
  return (
    1.0 +
    z *
      (-0.5 +
        z *
          (0.041666666666666664 +
            z *
              (-0.001388888888888889 +
                z *
                  (2.48015873015873e-5 +
                    z *
                      (-2.755731922398589e-7 +
                        z *
                          (2.08767569878681e-9 +
                            z *
                              (-1.1470745597729725e-11 +
                                z * (4.779477332387385e-14 + z * -1.5619206968586225e-16))))))))
  );
};

/** Sine of an angle in radians, |x| up to about 1e6. */
export function sin(x: number): number {
  const k = Math.floor(x * INV_HALF_PI + 0.5);
  const r = x - k * HALF_PI_1 - k * HALF_PI_2 - k * HALF_PI_3;
  switch (k & 3) {
    case 0:
      return sinCore(r);
    case 1:
      return cosCore(r);
    case 2:
      return -sinCore(r);
    default:
      return -cosCore(r);
  }
}

/** Cosine of an angle in radians, |x| up to about 1e6. */
export function cos(x: number): number {
  const k = Math.floor(x * INV_HALF_PI + 0.5);
  const r = x - k * HALF_PI_1 - k * HALF_PI_2 - k * HALF_PI_3;
  switch (k & 3) {
    case 0:
      return cosCore(r);
    case 1:
      return -sinCore(r);
    case 2:
      return -cosCore(r);
    default:
      return sinCore(r);
  }
}

/**
 * Arc tangent in radians. Halved three times by atan(x) = 2 atan(x / (1 + sqrt(1 + x^2))), then its series (Abramowitz
 * & Stegun 4.4.42).
 */
export function atan(x: number): number {
  let t = x;
  let scale = 1;
  for (let halving = 0; halving < 3; halving++) {
    t = t / (1 + Math.sqrt(1 + t * t));
    scale *= 2;
  }
  const z = t * t;
  const sum =
    1.0 +
    z *
      (-0.3333333333333333 +
        z *
          (0.2 +
            z *
              (-0.14285714285714285 +
                z *
                  (0.1111111111111111 +
                    z *
                      (-0.09090909090909091 +
                        z *
                          (0.07692307692307693 +
                            z *
                              (-0.06666666666666667 +
                                z *
                                  (0.058823529411764705 +
                                    z *
                                      (-0.05263157894736842 +
                                        z *
                                          (0.047619047619047616 +
                                            z *
                                              (-0.043478260869565216 +
                                                z * (0.04 + z * -0.037037037037037035))))))))))));
  return scale * t * sum;
}

export const tan = (x: number): number => sin(x) / cos(x);

/** base^exponent for base > 0. */
export const pow = (base: number, exponent: number): number => exp(exponent * log(base));

const LN2 = 0.6931471805599453;
/** 2^x: octaves to a ratio. */
export const octaves = (x: number): number => exp(x * LN2);

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
