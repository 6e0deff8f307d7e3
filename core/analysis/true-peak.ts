import { PI, besselI0, sin } from "../math";

const PHASES = 4;
const HALF = 12;
const TAPS = 2 * HALF;

/** Windowed-sinc interpolators to the three points between samples (Kaiser, beta 8), after BS.1770-4, annex 2. */
const KERNELS: readonly Float64Array[] = [1, 2, 3].map((phase) => {
  const kernel = new Float64Array(TAPS);
  for (let k = 0; k < TAPS; k++) {
    const t = k - (HALF - 1) - phase / PHASES;
    const edge = t / HALF;
    kernel[k] = (t === 0 ? 1 : sin(PI * t) / (PI * t)) * (besselI0(8 * Math.sqrt(Math.max(0, 1 - edge * edge))) / besselI0(8));
  }
  return kernel;
});
/** No interpolated point can exceed the largest sample in reach times this. */
const WORST_GAIN = Math.max(...KERNELS.map((k) => k.reduce((sum, h) => sum + Math.abs(h), 0)));

const CHUNK = 256;

/** Largest magnitude between and at the samples of one channel, from four times as many points. */
export class TruePeakMeter {
  private readonly buffer = new Float32Array(TAPS + CHUNK);
  peak = 0;

  push(x: Float32Array, offset: number, count: number): void {
    for (let done = 0; done < count; done += CHUNK) this.chunk(x, offset + done, Math.min(CHUNK, count - done));
  }

  /** Lets the last samples through the interpolator. */
  finish(): void {
    this.push(new Float32Array(TAPS), 0, TAPS);
  }

  private chunk(x: Float32Array, offset: number, n: number): void {
    const { buffer } = this;
    for (let i = 0; i < n; i++) buffer[TAPS + i] = x[offset + i] as number;
    let loudest = 0;
    for (let i = 0; i < TAPS + n; i++) {
      const v = Math.abs(buffer[i] as number);
      if (v > loudest) loudest = v;
    }
    let peak = Math.max(this.peak, loudest);
    if (loudest * WORST_GAIN > peak) {
      for (const kernel of KERNELS) {
        for (let i = 1; i <= n; i++) {
          let sum = 0;
          for (let k = 0; k < TAPS; k++) sum += (kernel[k] as number) * (buffer[i + k] as number);
          const v = sum < 0 ? -sum : sum;
          if (v > peak) peak = v;
        }
      }
    }
    this.peak = peak;
    buffer.copyWithin(0, n, n + TAPS);
  }
}
