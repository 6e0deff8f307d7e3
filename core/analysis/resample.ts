import { PI, besselI0, sin } from "../math";
import type { Frames, Hertz } from "../units";

/** Zero crossings of the kernel on each side, and the window that sets its stop band near -150 dB. */
const CROSSINGS = 128;
const KAISER_BETA = 15;
/** Half the transition band in units of the lower rate (Kaiser's estimate for the window above): the stop band starts at its half. */
const HALF_TRANSITION = 0.0193;

/** Frames a converted piece has. */
export const resampledFrames = (frames: Frames, from: Hertz, to: Hertz): Frames => Math.ceil((frames * to) / from);

/** Frames around a piece that can be heard in it when it is converted; a whole number of frames at both rates. */
export function reachFrames(from: Hertz, to: Hertz): Frames {
  const down = from / gcd(from, to);
  return Math.ceil((CROSSINGS * Math.max(1, from / to) + 1) / down) * down;
}

/**
 * Streaming sample-rate converter: a symmetric polyphase windowed sinc, evaluated at the exact rational position of
 * every output frame, so there is no delay: output frame m stands where input frame m * from / to would.
 */
export class Resampler {
  private readonly up: number;
  private readonly down: number;
  private readonly half: number;
  private readonly table: Float64Array;
  private left: Float64Array;
  private right: Float64Array;
  /** Input frame that the buffers start with, and frames in them. */
  private base: Frames;
  private held: Frames;
  private received: Frames = 0;
  private made: Frames = 0;
  private readonly outLeft = new Float32Array(1024);
  private readonly outRight = new Float32Array(1024);

  constructor(from: Hertz, to: Hertz, private readonly emit: (left: Float32Array, right: Float32Array, offset: number, count: Frames) => void) {
    const divisor = gcd(from, to);
    this.up = to / divisor;
    this.down = from / divisor;
    const stretch = Math.max(1, from / to);
    this.half = Math.ceil(CROSSINGS * stretch);
    this.table = kernelTable(this.up, this.half, stretch);
    this.base = -this.half;
    this.held = this.half;
    this.left = new Float64Array(this.half * 4 + 8192);
    this.right = new Float64Array(this.half * 4 + 8192);
  }

  push(left: Float32Array, right: Float32Array, offset: number, count: Frames): void {
    for (let done = 0; done < count; ) {
      const n = Math.min(count - done, 4096);
      this.append(left, right, offset + done, n);
      this.received += n;
      this.produce(this.received - this.half);
      done += n;
    }
  }

  /** Produces what the last input frames still hold. */
  finish(): void {
    const silence = new Float32Array(this.half + 1);
    const total = Math.ceil((this.received * this.up) / this.down);
    this.append(silence, silence, 0, silence.length);
    this.produce(this.received, total);
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

  /** Makes output frames whose position lies before input frame `limit`, at most `total` in all. */
  private produce(limit: Frames, total = Infinity): void {
    const { up, down, half, table, left, right, outLeft, outRight } = this;
    const taps = 2 * half;
    let filled = 0;
    for (;;) {
      const position = this.made * down;
      const whole = Math.floor(position / up);
      if (whole >= limit || this.made >= total) break;
      const phase = position - whole * up;
      const row = phase * taps;
      const start = whole - half + 1 - this.base;
      let l = 0;
      let r = 0;
      for (let k = 0; k < taps; k++) {
        const h = table[row + k] as number;
        l += h * (left[start + k] as number);
        r += h * (right[start + k] as number);
      }
      outLeft[filled] = l;
      outRight[filled] = r;
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

/** Row p holds the kernel for a position p / up frames after an input frame, normalised to unity at zero frequency. */
function kernelTable(up: number, half: number, stretch: number): Float64Array {
  const taps = 2 * half;
  const table = new Float64Array(up * taps);
  const corner = (1 - 2 * HALF_TRANSITION) / stretch;
  const reach = CROSSINGS * stretch;
  for (let p = 0; p < up; p++) {
    let sum = 0;
    for (let k = 0; k < taps; k++) {
      const t = k - half + 1 - p / up;
      const edge = t / reach;
      const x = PI * t * corner;
      const value = Math.abs(edge) >= 1 ? 0 : (t === 0 ? 1 : sin(x) / x) * besselI0(KAISER_BETA * Math.sqrt(1 - edge * edge));
      table[p * taps + k] = value;
      sum += value;
    }
    for (let k = 0; k < taps; k++) table[p * taps + k] = (table[p * taps + k] as number) / sum;
  }
  return table;
}

const gcd = (a: number, b: number): number => (b === 0 ? a : gcd(b, a % b));
