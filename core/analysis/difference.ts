import { dbToGain, gainToDb } from "../math";
import type { Db, Frames, Hertz } from "../units";

/** What is told as one place: changes closer together than this are one. */
const STEP_S = 0.25;
/** Less than this is not told: dither, and the last step of a rounded sample. */
const HEARD = dbToGain(-96);

/** Where two sounds differ, and by how much at most. Seconds from their first frame. */
export interface Differing {
  /** Null: they are the same to the last bit. */
  readonly peakDb: Db | null;
  readonly spans: readonly { readonly fromS: number; readonly toS: number }[];
}

type Stereo = readonly [left: Float32Array, right: Float32Array];

/** Finds where two sounds differ as they go by, block by block. */
export class DifferenceFinder {
  private readonly step: Frames;
  private readonly peaks: number[] = [];
  private at: Frames = 0;

  constructor(private readonly rate: Hertz) {
    this.step = Math.round(STEP_S * rate);
  }

  push(a: Stereo, b: Stereo, offset: number, count: Frames): void {
    const { step, peaks } = this;
    for (let i = 0; i < count; i++) {
      const place = offset + i;
      const d = Math.max(
        Math.abs((a[0][i] as number) - (b[0][place] as number)),
        Math.abs((a[1][i] as number) - (b[1][place] as number)),
      );
      const k = Math.floor((this.at + i) / step);
      if (d > (peaks[k] ?? -1)) peaks[k] = d;
    }
    this.at += count;
  }

  finish(): Differing {
    const { step, rate } = this;
    const spans: { fromS: number; toS: number }[] = [];
    let most = 0;
    this.peaks.forEach((peak, k) => {
      most = Math.max(most, peak);
      if (peak <= HEARD) return;
      const last = spans.at(-1);
      const [fromS, toS] = [(k * step) / rate, Math.min(this.at, (k + 1) * step) / rate];
      if (last && last.toS >= fromS) last.toS = toS;
      else spans.push({ fromS, toS });
    });
    return { peakDb: most > 0 ? gainToDb(most) : null, spans };
  }
}
