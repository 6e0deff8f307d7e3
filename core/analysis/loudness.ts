import { PI, gainToDb, pow, tan } from "../math";
import { KernelMemory } from "../kernels/kernels";
import type { Frames, Hertz } from "../units";
import type { Doubles, Floats } from "../kernels/kernels";

const ABSOLUTE_GATE_LUFS = -70;
const BLOCK_STEPS = 4;
const SHORT_TERM_STEPS = 30;
const CHUNK = 4096;
/** What the filters need of memory that audio lies in. */
export const LOUDNESS_BYTES = 192;

/** Mean-square power to loudness. ITU-R BS.1770-4, annex 1, eq. 2. */
const toLufs = (power: number): number => -0.691 + gainToDb(Math.sqrt(power));
const toPower = (lufs: number): number => pow(10, (lufs + 0.691) / 10);

/**
 * Loudness of what was measured in steps of 100 ms. ITU-R BS.1770-4 (integrated, two gates over 400 ms blocks that
 * overlap by 75 %), EBU Tech 3342 (range over 3 s blocks, here every 100 ms).
 */
export class LoudnessSteps {
  /** Mean-square power, K-weighted, both channels summed, of each 100 ms so far. */
  protected readonly steps: number[] = [];

  add(power: number): void {
    this.steps.push(power);
  }

  /** How many steps there are. */
  get count(): number {
    return this.steps.length;
  }

  /** Power of one of them. */
  power(step: number): number {
    return this.steps[step] ?? 0;
  }

  /** Integrated loudness in LUFS; null when nothing passes the gates. */
  integrated(): number | null {
    const audible = this.mean(BLOCK_STEPS, isAudible);
    if (audible === null) return null;
    const gate = toLufs(audible) - 10;
    const loud = this.mean(BLOCK_STEPS, (p) => isAudible(p) && toLufs(p) > gate);
    return loud === null ? null : toLufs(loud);
  }

  /**
   * Loudness range in LU between the 10th and 95th percentile of gated short-term loudness; null when there is none.
   */
  range(): number | null {
    const audible = this.mean(SHORT_TERM_STEPS, isAudible);
    if (audible === null) return null;
    const gate = toPower(toLufs(audible) - 20);
    const kept = new Float64Array(this.windows(SHORT_TERM_STEPS));
    let count = 0;
    for (let i = 0; i < kept.length; i++) {
      const power = this.window(SHORT_TERM_STEPS, i);
      if (isAudible(power) && power >= gate) kept[count++] = power;
    }
    const sorted = kept.subarray(0, count).sort();
    const at = (share: number) => toLufs(sorted[Math.round((count - 1) * share)] ?? 0);
    return at(0.95) - at(0.1);
  }

  /** Short-term loudness (3 s) at the end of every 100 ms, for drawing; -Infinity in silence. */
  shortTerm(): readonly number[] {
    return Array.from({ length: this.windows(SHORT_TERM_STEPS) }, (_, i) => toLufs(this.window(SHORT_TERM_STEPS, i)));
  }

  /**
   * Largest momentary (400 ms) and short-term (3 s) loudness of all windows, one beginning every 100 ms. EBU Tech 3341,
   * 2.2. Null where there is none.
   */
  maxima(): { readonly momentary: number | null; readonly shortTerm: number | null } {
    const most = (length: number): number | null => {
      let power = 0;
      for (let i = 0; i < this.windows(length); i++) power = Math.max(power, this.window(length, i));
      return power > 0 ? toLufs(power) : null;
    };
    return { momentary: most(BLOCK_STEPS), shortTerm: most(SHORT_TERM_STEPS) };
  }

  /** Short-term loudness (3 s, or all there is so far) at the last 100 ms; null before the first. */
  lastShortTerm(): number | null {
    return this.last(SHORT_TERM_STEPS);
  }

  /** Momentary loudness (400 ms, or all there is so far) at the last 100 ms; null before the first. */
  lastMomentary(): number | null {
    return this.last(BLOCK_STEPS);
  }

  private last(length: number): number | null {
    const { steps } = this;
    const n = Math.min(length, steps.length);
    let sum = 0;
    for (let k = steps.length - n; k < steps.length; k++) sum += steps[k] as number;
    return n === 0 ? null : toLufs(sum / n);
  }

  /** How many windows of so many steps there are, one beginning at every step. */
  private windows(length: number): number {
    return Math.max(0, this.steps.length - length + 1);
  }

  /**
   * Power of the window that begins at a step. Worked out anew each time it is asked for: an hour's would fill
   * megabytes.
   */
  private window(length: number, from: number): number {
    let sum = 0;
    for (let k = from; k < from + length; k++) sum += this.steps[k] as number;
    return sum / length;
  }

  /** Mean power of the windows that pass; null when none does. */
  private mean(length: number, passes: (power: number) => boolean): number | null {
    let sum = 0;
    let count = 0;
    for (let i = 0; i < this.windows(length); i++) {
      const power = this.window(length, i);
      if (!passes(power)) continue;
      sum += power;
      count++;
    }
    return count === 0 ? null : sum / count;
  }
}

/** Measures sound as it goes by, in blocks of any size, in order. */
export class LoudnessMeter extends LoudnessSteps {
  private readonly weighting: KWeighting;
  private readonly stepFrames: number;
  private inStep = 0;
  private stepEnergy = 0;

  /** `memory`: where the audio lies already that it will be fed; it takes `LOUDNESS_BYTES` of it. */
  constructor(rate: Hertz, memory?: KernelMemory) {
    super();
    this.weighting = new KWeighting(rate, memory);
    this.stepFrames = Math.round(rate / 10);
  }

  /** `silent`: that stretch holds nothing but zeros. */
  push(left: Float32Array, right: Float32Array, offset: number, count: number, silent = false): void {
    for (let done = 0; done < count;) {
      const n = Math.min(count - done, this.stepFrames - this.inStep);
      this.stepEnergy += silent && this.weighting.resting ? 0 : this.weighting.energy(left, right, offset + done, n);
      this.inStep += n;
      done += n;
      if (this.inStep === this.stepFrames) {
        this.steps.push(this.stepEnergy / this.stepFrames);
        this.stepEnergy = 0;
        this.inStep = 0;
      }
    }
  }

  /** What it remembers beside the memory it was given. */
  save(): readonly number[] {
    return [this.inStep, this.stepEnergy, ...this.steps];
  }

  load([inStep = 0, stepEnergy = 0, ...steps]: readonly number[]): void {
    this.inStep = inStep;
    this.stepEnergy = stepEnergy;
    this.steps.length = 0;
    for (const step of steps) this.steps.push(step);
  }

  /** Drops the loudness steps behind `frames`. */
  endAt(frames: Frames): void {
    this.steps.length = Math.min(this.steps.length, Math.floor(frames / this.stepFrames));
  }
}

const isAudible = (power: number): boolean => toLufs(power) > ABSOLUTE_GATE_LUFS;

/**
 * The two K-weighting stages for any rate, from the analogue prototypes behind the 48 kHz coefficients
 * of BS.1770-4, tables 1 and 2 (bilinear transform, frequencies prewarped).
 */
class KWeighting {
  private readonly memory: KernelMemory;
  /** For audio that lies elsewhere. */
  private readonly copy: readonly [left: Floats, right: Floats] | null;
  private readonly coefficients: Doubles;
  private readonly states: Doubles;

  constructor(rate: Hertz, memory?: KernelMemory) {
    this.memory = memory ?? new KernelMemory(CHUNK * 8 + LOUDNESS_BYTES);
    this.copy = memory ? null : [this.memory.float32(CHUNK), this.memory.float32(CHUNK)];
    this.coefficients = this.memory.float64(7);
    this.states = this.memory.float64(12);
    const shelf = tan((PI * 1681.974450955533) / rate);
    const q = 0.7071752369554196;
    const high = pow(10, 3.999843853973347 / 20);
    const band = pow(high, 0.4996667741545416);
    const a0 = 1 + shelf / q + shelf * shelf;
    const pass = tan((PI * 38.13547087602444) / rate);
    const pq = 0.5003270373238773;
    const c0 = 1 + pass / pq + pass * pass;
    this.coefficients.set([
      (high + (band * shelf) / q + shelf * shelf) / a0,
      (2 * (shelf * shelf - high)) / a0,
      (high - (band * shelf) / q + shelf * shelf) / a0,
      (2 * (shelf * shelf - 1)) / a0,
      (1 - shelf / q + shelf * shelf) / a0,
      (2 * (pass * pass - 1)) / c0,
      (1 - pass / pq + pass * pass) / c0,
    ]);
  }

  /** Nothing rings in the filters. */
  get resting(): boolean {
    return this.states.every((z) => z === 0);
  }

  /** Sum of squares of both weighted channels, which lie in the memory that was given, if one was. */
  energy(left: Float32Array, right: Float32Array, offset: number, count: number): number {
    const { copy, memory, coefficients, states } = this;
    if (!copy)
      return memory.run.kWeightedEnergy(
        (left as Floats).address + 4 * offset,
        (right as Floats).address + 4 * offset,
        count,
        coefficients.address,
        states.address,
      );
    let sum = 0;
    for (let done = 0; done < count; done += CHUNK) {
      const n = Math.min(CHUNK, count - done);
      copy[0].set(left.subarray(offset + done, offset + done + n));
      copy[1].set(right.subarray(offset + done, offset + done + n));
      sum += memory.run.kWeightedEnergy(copy[0].address, copy[1].address, n, coefficients.address, states.address);
    }
    return sum;
  }
}
