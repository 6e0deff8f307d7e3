import { PI, gainToDb, pow, tan } from "../math";
import type { Hertz } from "../units";

const ABSOLUTE_GATE_LUFS = -70;
const BLOCK_STEPS = 4;
const SHORT_TERM_STEPS = 30;

/** Mean-square power to loudness. ITU-R BS.1770-4, annex 1, eq. 2. */
const toLufs = (power: number): number => -0.691 + gainToDb(Math.sqrt(power));
const toPower = (lufs: number): number => pow(10, (lufs + 0.691) / 10);

/**
 * Programme loudness and loudness range. ITU-R BS.1770-4 (integrated, two gates over 400 ms blocks that overlap by 75 %)
 * and EBU Tech 3342 (range over 3 s blocks, here every 100 ms). Feed blocks of any size in order.
 */
export class LoudnessMeter {
  private readonly left: KWeighting;
  private readonly right: KWeighting;
  private readonly stepFrames: number;
  private inStep = 0;
  private stepEnergy = 0;
  /** Mean-square power, both channels summed, of each 100 ms so far. */
  private readonly steps: number[] = [];

  constructor(rate: Hertz) {
    this.left = new KWeighting(rate);
    this.right = new KWeighting(rate);
    this.stepFrames = Math.round(rate / 10);
  }

  push(left: Float32Array, right: Float32Array, offset: number, count: number): void {
    for (let done = 0; done < count; ) {
      const n = Math.min(count - done, this.stepFrames - this.inStep);
      this.stepEnergy += this.left.energy(left, offset + done, n) + this.right.energy(right, offset + done, n);
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
  private readonly k: readonly [number, number, number, number, number, number, number];
  private x1 = 0;
  private x2 = 0;
  private y1 = 0;
  private y2 = 0;
  private z1 = 0;
  private z2 = 0;

  constructor(rate: Hertz) {
    const shelf = tan((PI * 1681.974450955533) / rate);
    const q = 0.7071752369554196;
    const high = pow(10, 3.999843853973347 / 20);
    const band = pow(high, 0.4996667741545416);
    const a0 = 1 + shelf / q + shelf * shelf;
    const pass = tan((PI * 38.13547087602444) / rate);
    const pq = 0.5003270373238773;
    const c0 = 1 + pass / pq + pass * pass;
    this.k = [
      (high + (band * shelf) / q + shelf * shelf) / a0, (2 * (shelf * shelf - high)) / a0, (high - (band * shelf) / q + shelf * shelf) / a0,
      (2 * (shelf * shelf - 1)) / a0, (1 - shelf / q + shelf * shelf) / a0,
      (2 * (pass * pass - 1)) / c0, (1 - pass / pq + pass * pass) / c0,
    ];
  }

  /** Sum of squares of the weighted signal. */
  energy(x: Float32Array, offset: number, count: number): number {
    const [b0, b1, b2, a1, a2, c1, c2] = this.k;
    let { x1, x2, y1, y2, z1, z2 } = this;
    let sum = 0;
    for (let i = offset; i < offset + count; i++) {
      const input = x[i] as number;
      const y = b0 * input + b1 * x1 + b2 * x2 - a1 * y1 - a2 * y2;
      const z = y - 2 * y1 + y2 - c1 * z1 - c2 * z2;
      x2 = x1;
      x1 = input;
      y2 = y1;
      y1 = y;
      z2 = z1;
      z1 = z;
      sum += z * z;
    }
    if (Math.abs(y1) < 1e-30) y1 = y2 = 0;
    if (Math.abs(z1) < 1e-30) z1 = z2 = 0;
    this.x1 = x1;
    this.x2 = x2;
    this.y1 = y1;
    this.y2 = y2;
    this.z1 = z1;
    this.z2 = z2;
    return sum;
  }
}
