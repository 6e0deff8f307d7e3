import { PI, besselI0, sin } from "../math";

const PHASES = 4;
const HALF = 12;
const TAPS = 2 * HALF;

/** Windowed-sinc interpolator to the point `phase` quarters after a sample (Kaiser, beta 8), after BS.1770-4, annex 2. */
function interpolator(phase: number): Float64Array {
  const kernel = new Float64Array(TAPS);
  for (let k = 0; k < TAPS; k++) {
    const t = k - (HALF - 1) - phase / PHASES;
    const edge = t / HALF;
    kernel[k] = (t === 0 ? 1 : sin(PI * t) / (PI * t)) * (besselI0(8 * Math.sqrt(Math.max(0, 1 - edge * edge))) / besselI0(8));
  }
  return kernel;
}
const FIRST = interpolator(1);
const MIDDLE = interpolator(2);
const LAST = interpolator(3);
/** No interpolated point can exceed the largest sample in reach times this. */
const WORST_GAIN = Math.max(...[FIRST, MIDDLE, LAST].map((k) => k.reduce((sum, h) => sum + Math.abs(h), 0)));

/** Samples taken in at once, and how many of them are looked at together to see whether they can matter. */
const CHUNK = 256;
const LOOK = 16;

/** Largest magnitude between and at the samples of one channel, from four times as many points. */
export class TruePeakMeter {
  private readonly buffer = new Float64Array(TAPS + CHUNK);
  /** Largest magnitude of every `LOOK` samples of the buffer. */
  private readonly loudest = new Float64Array((TAPS + CHUNK) / LOOK + 1);
  peak = 0;

  push(x: Float32Array, offset: number, count: number): void {
    for (let done = 0; done < count; done += CHUNK) this.chunk(x, offset + done, Math.min(CHUNK, count - done));
  }

  /** Lets the last samples through the interpolator. */
  finish(): void {
    this.push(new Float32Array(TAPS), 0, TAPS);
  }

  private chunk(x: Float32Array, offset: number, n: number): void {
    const { buffer, loudest } = this;
    const first = FIRST, middle = MIDDLE, last = LAST;
    for (let i = 0; i < n; i++) buffer[TAPS + i] = x[offset + i] as number;
    let peak = this.peak;
    for (let from = 0, g = 0; from < TAPS + n; from += LOOK, g++) {
      let high = 0;
      for (let i = from; i < Math.min(from + LOOK, TAPS + n); i++) {
        const v = buffer[i] as number;
        const m = v < 0 ? -v : v;
        if (m > high) high = m;
      }
      loudest[g] = high;
      if (high > peak) peak = high;
    }
    for (let from = 1; from <= n; from += LOOK) {
      const to = Math.min(from + LOOK, n + 1);
      let reach = 0;
      for (let g = (from / LOOK) | 0; g <= (to + TAPS - 2) / LOOK; g++) if ((loudest[g] as number) > reach) reach = loudest[g] as number;
      if (reach * WORST_GAIN <= peak) continue;
      for (let i = from; i < to; i++) {
        let a = 0;
        let b = 0;
        let c = 0;
        for (let k = 0; k < TAPS; k++) {
          const v = buffer[i + k] as number;
          a += (first[k] as number) * v;
          b += (middle[k] as number) * v;
          c += (last[k] as number) * v;
        }
        if (a < 0) a = -a;
        if (b < 0) b = -b;
        if (c < 0) c = -c;
        if (a > peak) peak = a;
        if (b > peak) peak = b;
        if (c > peak) peak = c;
      }
    }
    this.peak = peak;
    buffer.copyWithin(0, n, n + TAPS);
  }
}
