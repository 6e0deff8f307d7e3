import { PI, besselI0, sin } from "../math";
import type { PartState } from "../kernels/arena";
import type { Frames, Hertz } from "../units";

/** Zero crossings of the kernel on each side, and the window that sets its stop band near -150 dB. */
const CROSSINGS = 128;
const KAISER_BETA = 15;
/**
 * Half the transition band in units of the lower rate (Kaiser's estimate for the window above): the stop band starts at
 * its half.
 */
const HALF_TRANSITION = 0.0193;
/**
 * A table of a kernel has at most so many values (16 MB); a ratio that would need more is read between the rows of a
 * table with `PHASES` rows.
 */
const MOST_VALUES = 1 << 21;
const PHASES = 256;

/** Frames that a stretch has at another rate. */
export const resampledFrames = (frames: Frames, from: Hertz, to: Hertz): Frames => Math.ceil((frames * to) / from);

/** Frames of the input that are heard in a converted stretch before its first frame and behind its last. */
export function converterReach(from: number, to: number): { readonly before: Frames; readonly behind: Frames } {
  const half = Math.ceil(CROSSINGS * Math.max(1, from / to));
  return { before: half + Math.ceil(from / to), behind: half };
}

/**
 * The frame of the whole at another rate that a stretch begins with: every frame of a converted stretch is a frame of
 * the whole converted.
 */
export const convertedFrame = (frame: Frames, from: Hertz, to: Hertz): Frames => Math.round((frame * to) / from);

export interface ResamplerSpan {
  /** Frame of the timeline that is pushed first; before it lies silence. */
  readonly at?: Frames;
  /** Frame of the timeline at the other rate that is given first. */
  readonly first?: Frames;
}

/**
 * Streaming sample-rate converter: a symmetric polyphase windowed sinc (Kaiser), evaluated at the exact rational
 * position of every output frame, so there is no delay: output frame m stands where input frame m * from / to would.
 * `from` and `to` may be any whole numbers whose ratio is meant, such as the lengths of a loop.
 */
export class Resampler {
  private readonly up: number;
  private readonly down: number;
  private readonly half: number;
  private readonly kernel: Kernel;
  private left: Float64Array;
  private right: Float64Array;
  /** Input frame that the buffers start with, and frames in them. */
  private base: Frames;
  private held: Frames;
  /** Frame after the last one pushed, and the next one to be made. */
  private received: Frames;
  private made: Frames;
  private readonly outLeft = new Float32Array(1024);
  private readonly outRight = new Float32Array(1024);
  private readonly sums = new Float64Array(2);

  constructor(
    from: number,
    to: number,
    private readonly emit: (left: Float32Array, right: Float32Array, offset: number, count: Frames) => void,
    { at = 0, first = 0 }: ResamplerSpan = {},
  ) {
    const divisor = gcd(from, to);
    this.up = to / divisor;
    this.down = from / divisor;
    const stretch = Math.max(1, from / to);
    this.half = Math.ceil(CROSSINGS * stretch);
    this.kernel =
      this.up * 2 * this.half <= MOST_VALUES
        ? new RowKernel(this.up, this.half, stretch)
        : new BetweenRows(this.up, this.half, stretch);
    this.made = first;
    this.received = at;
    // Silence before the first frame, as far as the first output reaches back.
    const lead = Math.max(0, at - (Math.floor((first * this.down) / this.up) - this.half));
    this.base = at - lead;
    this.held = lead;
    this.left = new Float64Array(this.half * 4 + 8192 + lead);
    this.right = new Float64Array(this.half * 4 + 8192 + lead);
  }

  push(left: Float32Array, right: Float32Array, offset: number, count: Frames): void {
    for (let done = 0; done < count;) {
      const n = Math.min(count - done, 4096);
      this.append(left, right, offset + done, n);
      this.received += n;
      this.produce(this.received - this.half);
      done += n;
    }
  }

  /** Everything it remembers: `load` of another one of the same rates goes on from there to the same frames. */
  save(): PartState {
    const { base, held, received, made } = this;
    const both = new Float64Array(2 * held);
    both.set(this.left.subarray(0, held));
    both.set(this.right.subarray(0, held), held);
    return { bytes: new Uint8Array(both.buffer), numbers: [base, held, received, made] };
  }

  load({ bytes, numbers }: PartState): void {
    const [base = 0, held = 0, received = 0, made = 0] = numbers;
    const both = new Float64Array(bytes.slice().buffer);
    const size = Math.max(this.left.length, held);
    this.left = new Float64Array(size);
    this.right = new Float64Array(size);
    this.left.set(both.subarray(0, held));
    this.right.set(both.subarray(held));
    Object.assign(this, { base, held, received, made });
  }

  /**
   * Produces what the last input frames still hold. The last `neighbours` frames pushed, at most the reach behind, only
   * lie behind the end.
   */
  finish(neighbours: Frames = 0): void {
    const silence = new Float32Array(this.half + 1);
    const end = Math.ceil(((this.received - neighbours) * this.up) / this.down);
    this.append(silence, silence, 0, silence.length);
    this.produce(this.received, end);
  }

  private append(left: Float32Array, right: Float32Array, offset: number, n: number): void {
    // Frames before the next output's reach are no longer needed.
    const needed = Math.floor((this.made * this.down) / this.up) - this.half;
    const drop = Math.min(this.held, Math.max(0, needed - this.base));
    if (this.held + n > this.left.length && drop > 0) {
      this.left.copyWithin(0, drop, this.held);
      this.right.copyWithin(0, drop, this.held);
      this.base += drop;
      this.held -= drop;
    }
    for (let i = 0; i < n; i++) {
      this.left[this.held + i] = left[offset + i] as number;
      this.right[this.held + i] = right[offset + i] as number;
    }
    this.held += n;
  }

  /** Makes output frames whose position lies before input frame `limit`, and before output frame `end`. */
  private produce(limit: Frames, end = Infinity): void {
    const { up, down, half, kernel, left, right, outLeft, outRight, sums } = this;
    let filled = 0;
    for (;;) {
      const position = this.made * down;
      const whole = Math.floor(position / up);
      if (whole >= limit || this.made >= end) break;
      kernel.apply(position - whole * up, left, right, whole - half + 1 - this.base, sums);
      outLeft[filled] = sums[0] as number;
      outRight[filled] = sums[1] as number;
      filled++;
      this.made++;
      if (filled === outLeft.length) {
        this.emit(outLeft, outRight, 0, filled);
        filled = 0;
      }
    }
    if (filled > 0) this.emit(outLeft, outRight, 0, filled);
  }
}

interface Kernel {
  /** Weighs the frames from `start` on for an output that lies `phase` / up behind the middle, into both sums. */
  apply(phase: number, left: Float64Array, right: Float64Array, start: number, sums: Float64Array): void;
}

/** A row a phase: exact. */
class RowKernel implements Kernel {
  private readonly table: Float64Array;

  constructor(
    up: number,
    private readonly half: number,
    stretch: number,
  ) {
    const taps = 2 * half;
    this.table = new Float64Array(up * taps);
    for (let p = 0; p < up; p++) fillRow(this.table, p * taps, taps, half, stretch, p / up);
  }

  apply(phase: number, left: Float64Array, right: Float64Array, start: number, sums: Float64Array): void {
    const { table } = this;
    const taps = 2 * this.half;
    const row = phase * taps;
    let l = 0;
    let r = 0;
    for (let k = 0; k < taps; k++) {
      const h = table[row + k] as number;
      l += h * (left[start + k] as number);
      r += h * (right[start + k] as number);
    }
    sums[0] = l;
    sums[1] = r;
  }
}

/**
 * For ratios of large numbers: cubic interpolation (Lagrange) between the four rows around a phase. With 256 rows to a
 * frame the error of a band-limited kernel is (pi / 256)^4 / 40, below -200 dB.
 */
class BetweenRows implements Kernel {
  private readonly table: Float64Array;

  constructor(
    private readonly up: number,
    private readonly half: number,
    stretch: number,
  ) {
    const taps = 2 * half;
    this.table = new Float64Array((PHASES + 3) * taps);
    for (let p = -1; p < PHASES + 2; p++) fillRow(this.table, (p + 1) * taps, taps, half, stretch, p / PHASES);
  }

  apply(phase: number, left: Float64Array, right: Float64Array, start: number, sums: Float64Array): void {
    const { table } = this;
    const taps = 2 * this.half;
    const at = (phase * PHASES) / this.up;
    const row = Math.floor(at);
    const x = at - row;
    const a = (-x * (x - 1) * (x - 2)) / 6,
      b = ((x + 1) * (x - 1) * (x - 2)) / 2,
      c = (-(x + 1) * x * (x - 2)) / 2,
      d = ((x + 1) * x * (x - 1)) / 6;
    const first = row * taps;
    let l = 0;
    let r = 0;
    for (let k = 0; k < taps; k++) {
      const i = first + k;
      const h =
        a * (table[i] as number) +
        b * (table[i + taps] as number) +
        c * (table[i + 2 * taps] as number) +
        d * (table[i + 3 * taps] as number);
      l += h * (left[start + k] as number);
      r += h * (right[start + k] as number);
    }
    sums[0] = l;
    sums[1] = r;
  }
}

/** The kernel for a position `phase` frames after an input frame, normalised to unity at zero frequency. */
function fillRow(table: Float64Array, row: number, taps: number, half: number, stretch: number, phase: number): void {
  const corner = (1 - 2 * HALF_TRANSITION) / stretch;
  const reach = CROSSINGS * stretch;
  let sum = 0;
  for (let k = 0; k < taps; k++) {
    const t = k - half + 1 - phase;
    const edge = t / reach;
    const x = PI * t * corner;
    const value =
      Math.abs(edge) >= 1 ? 0 : (t === 0 ? 1 : sin(x) / x) * besselI0(KAISER_BETA * Math.sqrt(1 - edge * edge));
    table[row + k] = value;
    sum += value;
  }
  for (let k = 0; k < taps; k++) table[row + k] = (table[row + k] as number) / sum;
}

const gcd = (a: number, b: number): number => (b === 0 ? a : gcd(b, a % b));
