import { dbToGain } from "../math";
import type { Frames, Seconds } from "../units";
import type { Signal } from "./path";

/** A tail has ended when every tap has stayed under this level for half a second. */
const FLOOR = dbToGain(-90);
const QUIET_S: Seconds = 0.5;
/** Longest tail that is waited for. */
export const TAIL_CAP_S: Seconds = 30;

/** Finds the frame at which a tail ends: the first one from the content's end on with a quiet half second in front of it. */
export class TailWatch {
  private readonly quiet: Frames;
  private lastLoud: Frames;

  constructor(private readonly contentEnd: Frames, rate: number) {
    this.quiet = Math.round(QUIET_S * rate);
    this.lastLoud = contentEnd - this.quiet - 1;
  }

  /** Looks at the block of all taps that starts at timeline frame `start`; the end when it lies in the block, else null. */
  end(signals: readonly Signal[], start: Frames, frames: Frames): Frames | null {
    for (let i = Math.max(0, this.contentEnd - this.quiet - start); i < frames; i++) {
      if (this.lastLoud + 1 + this.quiet <= start + i) break;
      if (signals.some((s) => !s.silent && (Math.abs(s.left[i] as number) > FLOOR || Math.abs(s.right[i] as number) > FLOOR))) this.lastLoud = start + i;
    }
    const end = this.lastLoud + 1 + this.quiet;
    return end <= start + frames ? end : null;
  }
}
