import { Fft } from "../kernels/fft";
import type { Frames } from "../units";

/** As far as a file may have been shifted to be found. */
export const MOST_LAG: Frames = 1 << 16;
/** Of a file's sound that is looked for at once. */
export const WINDOW: Frames = 1 << 17;
const SIZE = WINDOW + 2 * MOST_LAG;

/**
 * How alike a stretch of a file is to what it should be, at every shift: sums of products, to be divided by the
 * stretch's own energy. Several stretches add up.
 */
export class Lags {
  /** At index `MOST_LAG + lag`: what should be, `lag` frames later, against the file as it is. */
  readonly straight = new Float64Array(2 * MOST_LAG + 1);
  /** The same with its sides swapped. */
  readonly swapped = new Float64Array(2 * MOST_LAG + 1);
  energy = 0;
  private static fft: Fft | null = null;

  /** `file`: `WINDOW` frames; `wanted`: those, and `MOST_LAG` more on either side. */
  add(
    file: readonly [left: Float32Array, right: Float32Array],
    wanted: readonly [left: Float32Array, right: Float32Array],
  ): void {
    for (const side of file) for (let i = 0; i < WINDOW; i++) this.energy += (side[i] as number) * (side[i] as number);
    const fft = (Lags.fft ??= new Fft(SIZE));
    // Left and right as real and imaginary part of one signal: one transform for both.
    const a = transformed(fft, file, MOST_LAG);
    const b = transformed(fft, wanted, 0);
    const [re, im] = [new Float64Array(SIZE), new Float64Array(SIZE)];
    // conj(A) B: its real part sums left with left and right with right; A B without conjugate, crosswise.
    for (let k = 0; k < SIZE; k++) {
      const [ar, ai, br, bi] = [a.re[k], a.im[k], b.re[k], b.im[k]] as [number, number, number, number];
      re[k] = ar * br + ai * bi;
      im[k] = ar * bi - ai * br;
    }
    fft.inverse(re, im);
    this.take(re, this.straight);
    // Swapping the sides is conjugating and turning by a right angle: i conj(z) has the sides changed over.
    for (let k = 0; k < SIZE; k++) {
      const m = (SIZE - k) % SIZE;
      // Transform of i conj(z) at k is i conj(A(-k)).
      const [cr, ci] = [a.im[m] as number, a.re[m] as number];
      const [br, bi] = [b.re[k], b.im[k]] as [number, number];
      re[k] = cr * br + ci * bi;
      im[k] = cr * bi - ci * br;
    }
    fft.inverse(re, im);
    this.take(re, this.swapped);
  }

  private take(from: Float64Array, into: Float64Array): void {
    for (let lag = -MOST_LAG; lag <= MOST_LAG; lag++) {
      const i = MOST_LAG + lag;
      into[i] = (into[i] as number) + (from[(lag + SIZE) % SIZE] as number) / SIZE;
    }
  }
}

function transformed(fft: Fft, [left, right]: readonly [Float32Array, Float32Array], at: number) {
  const [re, im] = [new Float64Array(SIZE), new Float64Array(SIZE)];
  re.set(left.subarray(0, SIZE - at), at);
  im.set(right.subarray(0, SIZE - at), at);
  fft.forward(re, im);
  return { re, im };
}

/** The smallest value, and the lag that it stands at: where two signals are most opposite, it is negative. */
export function mostOpposed(of: Float64Array): { readonly lag: Frames; readonly value: number } {
  let best = 0;
  for (let i = 1; i < of.length; i++) if ((of[i] as number) < (of[best] as number)) best = i;
  return { lag: best - MOST_LAG, value: of[best] as number };
}

/** The largest value, and the lag that it stands at. */
export function strongest(of: Float64Array): { readonly lag: Frames; readonly value: number } {
  let best = 0;
  for (let i = 1; i < of.length; i++) if ((of[i] as number) > (of[best] as number)) best = i;
  return { lag: best - MOST_LAG, value: of[best] as number };
}
