import { PI, gainToDb, pow, tan } from "../math";
import { KernelMemory } from "../kernels/kernels";
import type { Hertz } from "../units";

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
 * Programme loudness and loudness range. ITU-R BS.1770-4 (integrated, two gates over 400 ms blocks that overlap by 75 %)
 * and EBU Tech 3342 (range over 3 s blocks, here every 100 ms). Feed blocks of any size in order.
 */
export class LoudnessMeter {
  private readonly weighting: KWeighting;
  private readonly stepFrames: number;
  private inStep = 0;
  private stepEnergy = 0;
  /** Mean-square power, both channels summed, of each 100 ms so far. */
  private readonly steps: number[] = [];

  /** `memory`: where the audio lies already that it will be fed; it takes `LOUDNESS_BYTES` of it. */
  constructor(rate: Hertz, memory?: KernelMemory) {
    this.weighting = new KWeighting(rate, memory);
    this.stepFrames = Math.round(rate / 10);
  }

  /** `silent`: that stretch holds nothing but zeros. */
  push(left: Float32Array, right: Float32Array, offset: number, count: number, silent = false): void {
    for (let done = 0; done < count; ) {
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

  /** Integrated loudness in LUFS; null when nothing passes the gates. */
  integrated(): number | null {
    const blocks = this.windows(BLOCK_STEPS);
    const audible = blocks.filter((p) => toLufs(p) > ABSOLUTE_GATE_LUFS);
    if (audible.length === 0) return null;
    const gate = toLufs(mean(audible)) - 10;
    return toLufs(mean(audible.filter((p) => toLufs(p) > gate)));
  }

  /** Loudness range in LU between the 10th and 95th percentile of gated short-term loudness; null when there is none. */
  range(): number | null {
    const audible = this.windows(SHORT_TERM_STEPS).filter((p) => toLufs(p) > ABSOLUTE_GATE_LUFS);
    if (audible.length === 0) return null;
    const gate = toPower(toLufs(mean(audible)) - 20);
    const kept = audible.filter((p) => p >= gate).sort((a, b) => a - b);
    const at = (share: number) => toLufs(kept[Math.round((kept.length - 1) * share)] ?? 0);
    return at(0.95) - at(0.1);
  }

  /** Short-term loudness (3 s) at the end of every 100 ms, for drawing; -Infinity in silence. */
  shortTerm(): readonly number[] {
    return this.windows(SHORT_TERM_STEPS).map(toLufs);
  }

  /** Short-term loudness (3 s, or all there is so far) at the last 100 ms; null before the first. */
  lastShortTerm(): number | null {
    const { steps } = this;
    const n = Math.min(SHORT_TERM_STEPS, steps.length);
    let sum = 0;
    for (let k = steps.length - n; k < steps.length; k++) sum += steps[k] as number;
    return n === 0 ? null : toLufs(sum / n);
  }

  private windows(length: number): number[] {
    const out: number[] = [];
    for (let i = length; i <= this.steps.length; i++) {
      let sum = 0;
      for (let k = i - length; k < i; k++) sum += this.steps[k] as number;
      out.push(sum / length);
    }
    return out;
  }
}

const mean = (values: readonly number[]): number => values.reduce((a, b) => a + b, 0) / values.length;

/**
 * The two K-weighting stages for any rate, from the analogue prototypes behind the 48 kHz coefficients
 * of BS.1770-4, tables 1 and 2 (bilinear transform, frequencies prewarped).
 */
class KWeighting {
  private readonly memory: KernelMemory;
  /** For audio that lies elsewhere. */
  private readonly copy: readonly [left: Float32Array, right: Float32Array] | null;
  private readonly coefficients: Float64Array;
  private readonly states: Float64Array;

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
      (high + (band * shelf) / q + shelf * shelf) / a0, (2 * (shelf * shelf - high)) / a0, (high - (band * shelf) / q + shelf * shelf) / a0,
      (2 * (shelf * shelf - 1)) / a0, (1 - shelf / q + shelf * shelf) / a0,
      (2 * (pass * pass - 1)) / c0, (1 - pass / pq + pass * pass) / c0,
    ]);
  }

  /** Nothing rings in the filters. */
  get resting(): boolean {
    return this.states.every((z) => z === 0);
  }

  /** Sum of squares of both weighted channels. */
  energy(left: Float32Array, right: Float32Array, offset: number, count: number): number {
    const { copy, memory, coefficients, states } = this;
    if (!copy) return memory.run.kWeightedEnergy(left.byteOffset + 4 * offset, right.byteOffset + 4 * offset, count, coefficients.byteOffset, states.byteOffset);
    let sum = 0;
    for (let done = 0; done < count; done += CHUNK) {
      const n = Math.min(CHUNK, count - done);
      copy[0].set(left.subarray(offset + done, offset + done + n));
      copy[1].set(right.subarray(offset + done, offset + done + n));
      sum += memory.run.kWeightedEnergy(copy[0].byteOffset, copy[1].byteOffset, n, coefficients.byteOffset, states.byteOffset);
    }
    return sum;
  }
}
