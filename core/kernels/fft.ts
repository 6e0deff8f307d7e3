import { TAU, cos, sin } from "../math";

/**
 * Radix-2 Fourier transform of a power of two points, in place and in double precision, the same bits everywhere.
 * Cooley & Tukey 1965.
 */
export class Fft {
  private readonly cosines: Float64Array;
  private readonly sines: Float64Array;

  constructor(readonly size: number) {
    if (size < 2 || (size & (size - 1)) !== 0) throw new RangeError("a transform has a power of two points");
    this.cosines = Float64Array.from({ length: size / 2 }, (_, k) => cos((TAU * k) / size));
    this.sines = Float64Array.from({ length: size / 2 }, (_, k) => sin((TAU * k) / size));
  }

  forward(re: Float64Array, im: Float64Array): void {
    this.run(re, im, -1);
  }

  /** Times `size`: the caller scales. */
  inverse(re: Float64Array, im: Float64Array): void {
    this.run(re, im, 1);
  }

  private run(re: Float64Array, im: Float64Array, sign: number): void {
    const { size, cosines, sines } = this;
    for (let i = 1, j = 0; i < size; i++) {
      let bit = size >> 1;
      for (; j & bit; bit >>= 1) j ^= bit;
      j ^= bit;
      if (i < j) {
        const r = re[i] as number,
          m = im[i] as number;
        re[i] = re[j] as number;
        im[i] = im[j] as number;
        re[j] = r;
        im[j] = m;
      }
    }
    for (let half = 1, stride = size >> 1; half < size; half <<= 1, stride >>= 1) {
      for (let start = 0; start < size; start += 2 * half) {
        for (let k = 0; k < half; k++) {
          const c = cosines[k * stride] as number,
            s = sign * (sines[k * stride] as number);
          const a = start + k,
            b = a + half;
          const r = (re[b] as number) * c - (im[b] as number) * s;
          const m = (re[b] as number) * s + (im[b] as number) * c;
          re[b] = (re[a] as number) - r;
          im[b] = (im[a] as number) - m;
          re[a] = (re[a] as number) + r;
          im[a] = (im[a] as number) + m;
        }
      }
    }
  }
}
