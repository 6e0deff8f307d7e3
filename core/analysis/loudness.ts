import { PI, gainToDb, pow, tan } from "../math";
import { KernelMemory } from "../kernels/kernels";
import type { Hertz } from "../units";

const ABSOLUTE_GATE_LUFS = -70;
const BLOCK_STEPS = 4;
const SHORT_TERM_STEPS = 30;
const CHUNK = 4096;
const KERNEL_BYTES = CHUNK * 8 + 192;

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

  constructor(rate: Hertz) {
    this.weighting = new KWeighting(rate);
    this.stepFrames = Math.round(rate / 10);
  }

  push(left: Float32Array, right: Float32Array, offset: number, count: number): void {
    for (let done = 0; done < count; ) {
      const n = Math.min(count - done, this.stepFrames - this.inStep);
      this.stepEnergy += this.weighting.energy(left, right, offset + done, n);
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
  private readonly memory = new KernelMemory(KERNEL_BYTES);
  private readonly left = this.memory.float32(CHUNK);
  private readonly right = this.memory.float32(CHUNK);
  private readonly coefficients = this.memory.float64(7);
  private readonly states = this.memory.float64(12);

  constructor(rate: Hertz) {
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

  /** Sum of squares of both weighted channels. */
  energy(left: Float32Array, right: Float32Array, offset: number, count: number): number {
    let sum = 0;
    for (let done = 0; done < count; done += CHUNK) {
      const n = Math.min(CHUNK, count - done);
      this.left.set(left.subarray(offset + done, offset + done + n));
      this.right.set(right.subarray(offset + done, offset + done + n));
      sum += this.memory.run.kWeightedEnergy(this.left.byteOffset, this.right.byteOffset, n, this.coefficients.byteOffset, this.states.byteOffset);
    }
    return sum;
  }
}
