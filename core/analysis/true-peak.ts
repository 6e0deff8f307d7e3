import { KernelMemory } from "../kernels/kernels";
import { PEAK_TAPS } from "../kernels/reference";
import { PI, besselI0, sin } from "../math";

const PHASES = 4;
const HALF = PEAK_TAPS / 2;

/**
 * Windowed-sinc interpolator to the point `phase` quarters after a sample (Kaiser, beta 8), after BS.1770-4, annex 2.
 */
function interpolator(phase: number): Float64Array {
  const kernel = new Float64Array(PEAK_TAPS);
  for (let k = 0; k < PEAK_TAPS; k++) {
    const t = k - (HALF - 1) - phase / PHASES;
    const edge = t / HALF;
    kernel[k] =
      (t === 0 ? 1 : sin(PI * t) / (PI * t)) * (besselI0(8 * Math.sqrt(Math.max(0, 1 - edge * edge))) / besselI0(8));
  }
  return kernel;
}
const ROWS = [1, 2, 3].map(interpolator);
/**
 * As the kernel wants them: what the first and the third point have in common, what divides them, and the second, which
 * mirrors itself.
 */
const halves = (): Float32Array => {
  const [first, middle] = ROWS as [Float64Array, Float64Array, Float64Array];
  const outer = [...first.subarray(0, HALF)].map((h, k) => [h, first[PEAK_TAPS - 1 - k] as number] as const);
  return Float32Array.from([
    ...outer.map(([a, b]) => (a + b) / 2),
    ...outer.map(([a, b]) => (a - b) / 2),
    ...middle.subarray(0, HALF),
  ]);
};

/** No interpolated point can exceed the largest sample in reach times this; a little more, for what rounding adds. */
const WORST_GAIN = Math.max(...ROWS.map((k) => k.reduce((sum, h) => sum + Math.abs(h), 0))) * (1 + 1e-5);

/** Samples taken in at once; where none of them can matter, nothing is interpolated. */
const CHUNK = 4096;
const KERNEL_BYTES = (PEAK_TAPS + CHUNK + 1 + 3 * HALF) * 4 + 96;

/** Largest magnitude between and at the samples of one channel, from four times as many points. */
export class TruePeakMeter {
  private readonly memory = new KernelMemory(KERNEL_BYTES);
  private readonly samples = this.memory.float32(PEAK_TAPS + CHUNK + 1);
  private readonly rows = this.memory.float32(3 * HALF);
  private readonly extremes = this.memory.float32(2);
  /** Largest magnitude that can stand among the samples held from before. */
  private before = 0;
  peak = 0;

  constructor() {
    this.rows.set(halves());
  }

  /**
   * `loudest`: a magnitude that none of these samples exceeds, and one of this signal or of one that is measured with
   * it reaches; looked for where it is not known.
   */
  push(x: Float32Array, offset: number, count: number, loudest?: number): void {
    for (let done = 0; done < count; done += CHUNK)
      this.chunk(x, offset + done, Math.min(CHUNK, count - done), loudest);
  }

  /** What it remembers: `load` of another goes on from there. */
  save(): { readonly bytes: Uint8Array; readonly numbers: readonly [before: number, peak: number] } {
    return { bytes: this.memory.save(), numbers: [this.before, this.peak] };
  }

  load(bytes: Uint8Array, before: number, peak: number): void {
    this.memory.load(bytes);
    this.before = before;
    this.peak = peak;
  }

  /** Bytes of `save`. */
  get size(): number {
    return this.memory.size;
  }

  /** Lets the last samples through the interpolator. */
  finish(): void {
    this.push(new Float32Array(PEAK_TAPS), 0, PEAK_TAPS);
  }

  private chunk(x: Float32Array, offset: number, n: number, known?: number): void {
    const { samples } = this;
    const whole = known === undefined || Math.max(known, this.before) * WORST_GAIN > Math.max(known, this.peak);
    if (whole) samples.set(x.subarray(offset, offset + n), PEAK_TAPS);
    const loudest = known ?? this.magnitude(n);
    if (loudest > this.peak) this.peak = loudest;
    if (whole && Math.max(loudest, this.before) * WORST_GAIN > this.peak) {
      // The first of the taps already stood at the end of the chunk before.
      this.peak = this.memory.run.interpolatedPeak(samples.address + 4, n, this.rows.address, this.peak, WORST_GAIN);
    }
    if (whole) samples.copyWithin(0, n, n + PEAK_TAPS);
    else {
      const kept = Math.min(n, PEAK_TAPS);
      samples.copyWithin(0, kept, PEAK_TAPS);
      samples.set(x.subarray(offset + n - kept, offset + n), PEAK_TAPS - kept);
    }
    this.before = n < PEAK_TAPS ? Math.max(this.before, loudest) : loudest;
  }

  /** Of the last `n` samples taken in. */
  private magnitude(n: number): number {
    const { samples, extremes } = this;
    const at = samples.address + 4 * PEAK_TAPS;
    this.memory.run.range(at, at, n, extremes.address);
    return Math.max(-(extremes[0] as number), extremes[1] as number);
  }
}
