import { dbToGain, gainToDb } from "../math";
import type { Db, Frames, Hertz } from "../units";
import { LoudnessMeter } from "./loudness";
import { TruePeakMeter } from "./true-peak";

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
  readonly lufs: number | null;
  readonly rangeLu: number | null;
  /** First and last frame above -90 dBFS; null when there is none. */
  readonly firstSound: Frames | null;
  readonly lastSound: Frames | null;
  /** Peak of the last ten milliseconds: a file that ends loud has lost its tail. */
  readonly endDb: Db | null;
  /** Runs of two or more samples at full scale. */
  readonly clippedRuns: number;
  /** Left and right are the same to the last bit. */
  readonly mono: boolean;
}

/** Measures audio while it streams past, in blocks of any size. */
export class Meter {
  private readonly loudness: LoudnessMeter;
  private readonly peaks = [new TruePeakMeter(), new TruePeakMeter()] as const;
  private frames: Frames = 0;
  private peak = 0;
  private first: Frames | null = null;
  private last: Frames | null = null;
  private mono = true;
  private clippedRuns = 0;
  private runLeft = 0;
  private runRight = 0;
  /** Louder channel of the last frames, as a ring. */
  private readonly end: Float32Array;
  private endAt = 0;

  constructor(rate: Hertz) {
    this.loudness = new LoudnessMeter(rate);
    this.end = new Float32Array(Math.round(rate * END_WINDOW_S));
  }

  push(left: Float32Array, right: Float32Array, offset: number, count: Frames): void {
    const { end, frames } = this;
    let { peak, mono, runLeft, runRight, endAt } = this;
    let first = this.first ?? -1;
    let last = this.last ?? -1;
    for (let i = 0; i < count; i++) {
      const l = left[offset + i] as number;
      const r = right[offset + i] as number;
      const a = l < 0 ? -l : l;
      const b = r < 0 ? -r : r;
      const m = a > b ? a : b;
      if (m > SOUND_FLOOR) {
        if (first < 0) first = frames + i;
        last = frames + i;
        if (m > peak) peak = m;
      }
      if (l !== r) mono = false;
      if (m >= FULL_SCALE) {
        runLeft = a >= FULL_SCALE ? runLeft + 1 : 0;
        runRight = b >= FULL_SCALE ? runRight + 1 : 0;
        if (runLeft === 2 || runRight === 2) this.clippedRuns++;
      } else runLeft = runRight = 0;
      end[endAt] = m;
      endAt = endAt + 1 === end.length ? 0 : endAt + 1;
    }
    this.peak = peak;
    this.mono = mono;
    this.runLeft = runLeft;
    this.runRight = runRight;
    this.endAt = endAt;
    this.first = first < 0 ? null : first;
    this.last = last < 0 ? null : last;
    this.frames += count;
    this.loudness.push(left, right, offset, count);
    this.peaks[0].push(left, offset, count);
    this.peaks[1].push(right, offset, count);
  }

  finish(): Measures {
    for (const p of this.peaks) p.finish();
    const level = (value: number) => (value > 0 ? gainToDb(value) : null);
    return {
      frames: this.frames,
      peakDb: level(this.peak),
      truePeakDb: level(Math.max(this.peaks[0].peak, this.peaks[1].peak)),
      lufs: this.loudness.integrated(),
      rangeLu: this.loudness.range(),
      firstSound: this.first,
      lastSound: this.last,
      endDb: level(this.end.reduce((a, b) => Math.max(a, b), 0)),
      clippedRuns: this.clippedRuns,
      mono: this.mono,
    };
  }

  shortTerm(): readonly number[] {
    return this.loudness.shortTerm();
  }
}
