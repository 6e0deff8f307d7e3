import { dbToGain, gainToDb } from "../math";
import type { Db, Frames, Hertz } from "../units";
import type { PartState } from "../kernels/arena";
import { KernelMemory } from "../kernels/kernels";
import { LOUDNESS_BYTES, LoudnessMeter } from "./loudness";
import { PEAK_FRAMES, PeakPairs } from "./peaks";
import { TruePeakMeter } from "./true-peak";
import type { Floats } from "../kernels/kernels";

/** Below this a sample counts as silence when the first and last sound are looked for. */
const SOUND_FLOOR = dbToGain(-90);
const END_WINDOW_S = 0.01;
/** The largest 16-bit sample is the smallest value that counts as full scale. */
const FULL_SCALE = 32767 / 32768;

/** What can be said about a finished piece of audio. Levels are null where there is nothing but silence. */
export interface Measures {
  readonly frames: Frames;
  readonly peakDb: Db | null;
  readonly truePeakDb: Db | null;
  /**
   * Integrated loudness, and the largest momentary and short-term one, of as many channels as the file has: a mono file
   * that plays in the middle is 3 LU louder.
   */
  readonly lufs: number | null;
  readonly rangeLu: number | null;
  readonly maxMomentaryLufs?: number | null;
  readonly maxShortTermLufs?: number | null;
  /** First and last frame above -90 dBFS; null when there is none. */
  readonly firstSound: Frames | null;
  readonly lastSound: Frames | null;
  /** Peak of the last ten milliseconds: a file that ends loud has lost its tail. */
  readonly endDb: Db | null;
  /** Runs of two or more samples at full scale. */
  readonly clippedRuns: number;
  /** Samples that lay beyond full scale when the file was written, and were held at it; only who wrote it knows. */
  readonly clippedSamples?: number;
  /** Left and right are the same to the last bit. */
  readonly mono: boolean;
}

/** Loudness of one channel against that of two that are the same. */
export const TWICE_LU = gainToDb(Math.sqrt(2));

/** In place of a frame where there is none. */
const NONE = -1;

/** Pairs of the overview that are looked at together, and the frames they are. */
const CHUNK_PAIRS = 16;
const CHUNK = CHUNK_PAIRS * PEAK_FRAMES;

/** Measures audio while it streams past, in blocks of any size, and draws its overview. */
export class Meter {
  private readonly loudness: LoudnessMeter;
  private readonly peaks = [new TruePeakMeter(), new TruePeakMeter()] as const;
  private readonly memory: KernelMemory;
  private readonly extremes: Floats;
  /** The chunks that make up the file's end, written round and round; the one that fills is the slot `at`. */
  private readonly slots: readonly (readonly [left: Floats, right: Floats])[];
  private at = 0;
  private readonly endFrames: Frames;
  private readonly pairs = new PeakPairs();
  /** Frames waiting in their slot for their chunk to fill. */
  private held = 0;
  private lastCount = 0;
  private frames: Frames = 0;
  private peak = 0;
  private first: Frames | null = null;
  private last: Frames | null = null;
  private mono = true;
  private clippedRuns = 0;
  private runLeft = 0;
  private runRight = 0;

  constructor(rate: Hertz) {
    this.endFrames = Math.round(rate * END_WINDOW_S);
    const slots = Math.ceil(this.endFrames / CHUNK) + 1;
    this.memory = new KernelMemory(slots * 2 * CHUNK * 4 + CHUNK_PAIRS * 8 + LOUDNESS_BYTES);
    this.extremes = this.memory.float32(2 * CHUNK_PAIRS);
    this.loudness = new LoudnessMeter(rate, this.memory);
    this.slots = Array.from({ length: slots }, () => [this.memory.float32(CHUNK), this.memory.float32(CHUNK)] as const);
  }

  push(left: Float32Array, right: Float32Array, offset: number, count: Frames): void {
    for (let done = 0; done < count;) {
      const n = Math.min(CHUNK - this.held, count - done);
      const [l, r] = this.filling;
      l.set(left.subarray(offset + done, offset + done + n), this.held);
      r.set(right.subarray(offset + done, offset + done + n), this.held);
      this.held += n;
      done += n;
      if (this.held === CHUNK) this.take();
    }
  }

  /** Everything it remembers: `load` of another one for the same rate goes on from there to the same measures. */
  save(): PartState {
    const { memory, pairs, loudness } = this;
    const [left, right] = [this.peaks[0].save(), this.peaks[1].save()];
    const parts = [memory.save(), left.bytes, right.bytes, pairs.bytes()];
    const bytes = new Uint8Array(parts.reduce((sum, p) => sum + p.length, 0));
    let at = 0;
    for (const part of parts) {
      bytes.set(part, at);
      at += part.length;
    }
    const numbers = [
      ...[this.at, this.held, this.lastCount, this.frames, this.peak, this.first ?? NONE, this.last ?? NONE],
      ...[Number(this.mono), this.clippedRuns, this.runLeft, this.runRight, ...left.numbers, ...right.numbers],
    ];
    return { bytes, numbers: [...numbers, ...loudness.save()] };
  }

  load({ bytes, numbers }: PartState): void {
    const [at = 0, held = 0, lastCount = 0, frames = 0, peak = 0, first = NONE, last = NONE, ...more] = numbers;
    const [mono, clippedRuns = 0, runLeft = 0, runRight = 0, b0 = 0, p0 = 0, b1 = 0, p1 = 0, ...loudness] = more;
    Object.assign(this, { at, held, lastCount, frames, peak, clippedRuns, runLeft, runRight, mono: mono === 1 });
    this.first = first === NONE ? null : first;
    this.last = last === NONE ? null : last;
    this.loudness.load(loudness);
    let read = 0;
    const next = (length: number) => bytes.subarray(read, (read += length));
    this.memory.load(next(this.memory.size));
    const [left, right] = this.peaks;
    left.load(next(left.size), b0, p0);
    right.load(next(right.size), b1, p1);
    this.pairs.load(next(bytes.length - read));
  }

  private get filling(): readonly [left: Floats, right: Floats] {
    return this.slots[this.at] as readonly [Floats, Floats];
  }

  /** Looks at the chunk that is held. */
  private take(): void {
    const { held: n, extremes, memory } = this;
    const [left, right] = this.filling;
    memory.run.ranges(left.address, right.address, n, PEAK_FRAMES, extremes.address);
    let loudest = 0;
    for (let at = 0, k = 0; at < n; at += PEAK_FRAMES, k += 2) {
      const low = extremes[k] as number;
      const high = extremes[k + 1] as number;
      this.pairs.push(low, high);
      loudest = Math.max(loudest, -low, high);
    }
    this.loudness.push(left, right, 0, n, loudest === 0);
    if (this.mono && memory.run.equal(left.address, right.address, n) === 0) this.mono = false;
    if (loudest > SOUND_FLOOR) {
      this.peak = Math.max(this.peak, loudest);
      const sounds = (i: number) =>
        Math.abs(left[i] as number) > SOUND_FLOOR || Math.abs(right[i] as number) > SOUND_FLOOR;
      if (this.first === null) for (let i = 0; this.first === null; i++) if (sounds(i)) this.first = this.frames + i;
      let last = n - 1;
      while (!sounds(last)) last--;
      this.last = this.frames + last;
    }
    if (loudest >= FULL_SCALE) this.countClipped(left, right, n);
    else this.runLeft = this.runRight = 0;
    // What one channel reached need not be looked for in the other.
    const [onLeft, onRight] = this.peaks;
    onLeft.peak = Math.max(onLeft.peak, onRight.peak);
    onLeft.push(left, 0, n, loudest);
    onRight.peak = onLeft.peak;
    onRight.push(right, 0, n, loudest);
    this.frames += n;
    this.held = 0;
    this.lastCount = n;
    this.at = (this.at + 1) % this.slots.length;
  }

  /** Peak of the last frames, seen backwards from the chunk that was looked at last. */
  private endPeak(): number {
    let peak = 0;
    let left = Math.min(this.endFrames, this.frames);
    let count = this.lastCount;
    for (let back = 1; left > 0; back++) {
      const slot = this.slots[(this.at - back + this.slots.length) % this.slots.length] ?? [];
      const from = Math.max(0, count - left);
      for (const x of slot) for (let i = from; i < count; i++) peak = Math.max(peak, Math.abs(x[i] as number));
      left -= count - from;
      count = CHUNK;
    }
    return peak;
  }

  private countClipped(left: Float32Array, right: Float32Array, n: number): void {
    for (let i = 0; i < n; i++) {
      this.runLeft = Math.abs(left[i] as number) >= FULL_SCALE ? this.runLeft + 1 : 0;
      this.runRight = Math.abs(right[i] as number) >= FULL_SCALE ? this.runRight + 1 : 0;
      if (this.runLeft === 2 || this.runRight === 2) this.clippedRuns++;
    }
  }

  /**
   * `channels`: 1 where both are one and the same channel of a mono file, whose loudness counts once. ITU-R BS.1770-4,
   * annex 1. `frames`: the file's length, where silence behind it was measured and then cut off.
   */
  finish(channels: 1 | 2 = 2, frames: Frames = Infinity): Measures {
    if (this.held > 0) this.take();
    this.loudness.endAt(frames);
    for (const p of this.peaks) p.finish();
    const level = (value: number) => (value > 0 ? gainToDb(value) : null);
    const loud = (lufs: number | null) => (lufs === null || channels === 2 ? lufs : lufs - TWICE_LU);
    const maxima = this.loudness.maxima();
    return {
      frames: Math.min(this.frames, frames),
      peakDb: level(this.peak),
      truePeakDb: level(Math.max(this.peaks[0].peak, this.peaks[1].peak)),
      lufs: loud(this.loudness.integrated()),
      maxMomentaryLufs: loud(maxima.momentary),
      maxShortTermLufs: loud(maxima.shortTerm),
      rangeLu: this.loudness.range(),
      firstSound: this.first,
      lastSound: this.last,
      endDb: level(this.endPeak()),
      clippedRuns: this.clippedRuns,
      mono: this.mono,
    };
  }

  /** Lowest and highest sample of every `PEAK_FRAMES` frames as signed bytes; to be asked for after `finish`. */
  overview(): Uint8Array {
    return this.pairs.bytes();
  }

  shortTerm(): readonly number[] {
    return this.loudness.shortTerm();
  }
}
