import { dbToGain } from "../math";
import type { Frames, Hertz } from "../units";

const HOP_S = 0.001;
/**
 * What was there before: the loudest of so much time. Shorter, and a low tone's own swing looks like beginnings;
 * longer, and quick repeats hide behind each other.
 */
const BEFORE_S = 0.03;
/** A beginning is so much louder than what was there, at least so loud, and so far from the last one. */
const RISE = dbToGain(9);
const FLOOR = dbToGain(-48);
const APART_S = 0.05;
/** How long an onset is listened to for its level. */
const LEVEL_S = 0.01;
/** Where a rise begins, as part of its height. */
const FOOT = 0.25;

/**
 * Finds where sounds begin: the peak of a millisecond that stands 9 dB above all of the 30 before it, traced back to
 * the first sample of the rise that passes a quarter of its height. A rise of energy against its recent past, the
 * plainest of the detection functions in Bello et al., "A Tutorial on Onset Detection in Music Signals" (IEEE Trans.
 * Speech Audio Process. 13(5), 2005, III-A); good for what has an attack, blind to what swells. Fed in order; `onsets`
 * are frames, rising.
 */
export class OnsetFinder {
  readonly onsets: Frames[] = [];
  /** How loud each onset is: the peak of its first hundredth of a second. */
  readonly levels: number[] = [];
  private readonly hop: Frames;
  /** Peaks of the last hops, as a ring, and the samples of the last few. */
  private readonly peaks: Float64Array;
  private readonly recent: Float32Array;
  private hops = 0;
  private at: Frames = 0;
  private peak = 0;

  constructor(private readonly rate: Hertz) {
    this.hop = Math.max(1, Math.round(rate * HOP_S));
    this.peaks = new Float64Array(Math.ceil(BEFORE_S / HOP_S));
    this.recent = new Float32Array(this.hop * 4);
  }

  push(left: Float32Array, right: Float32Array, offset: number, count: Frames): void {
    for (let i = 0; i < count; i++) {
      const l = Math.abs(left[offset + i] as number);
      const r = Math.abs(right[offset + i] as number);
      const level = l > r ? l : r;
      this.recent[this.at % this.recent.length] = level;
      if (level > this.peak) this.peak = level;
      this.at++;
      if (this.at % this.hop === 0) this.endHop();
    }
  }

  private endHop(): void {
    const { peaks, peak, hop } = this;
    let before = 0;
    for (let k = 0; k < peaks.length; k++) if ((peaks[k] as number) > before) before = peaks[k] as number;
    const begins = peak >= FLOOR && peak > before * RISE;
    const last = this.onsets.at(-1);
    if (begins && (last === undefined || this.at - hop - last >= APART_S * this.rate)) {
      this.onsets.push(this.foot(peak, before));
      this.levels.push(peak);
    } else if (last !== undefined && this.at - last <= LEVEL_S * this.rate)
      this.levels[this.levels.length - 1] = Math.max(this.levels.at(-1) ?? 0, peak);
    peaks[this.hops % peaks.length] = peak;
    this.hops++;
    this.peak = 0;
  }

  /** The first sample of the hop, or of the one before it, that rises past the foot of the beginning. */
  private foot(peak: number, before: number): Frames {
    const threshold = Math.max(before, peak * FOOT);
    const from = Math.max(0, this.at - 2 * this.hop);
    for (let frame = from; frame < this.at; frame++)
      if ((this.recent[frame % this.recent.length] as number) > threshold) return frame;
    return this.at - this.hop;
  }
}
