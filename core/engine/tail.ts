import { dbToGain } from "../math";
import type { Frames, Seconds } from "../units";
import type { Signal } from "./path";

/** A tail has ended when every tap has stayed under this level for half a second. */
export const TAIL_FLOOR = dbToGain(-90);
export const QUIET_S: Seconds = 0.5;
/** Longest tail that is waited for. */
export const TAIL_CAP_S: Seconds = 30;

/** Finds the frame at which a tail ends: the first one from the content's end on with a quiet half second in front of it. */
export class TailWatch {
  private readonly quiet: Frames;
  private lastLoud: Frames;

  constructor(contentEnd: Frames, rate: number) {
    this.quiet = Math.round(QUIET_S * rate);
    this.lastLoud = contentEnd - this.quiet - 1;
  }

  /** From now on no end before `frame` counts. */
  raise(frame: Frames): void {
    this.lastLoud = Math.max(this.lastLoud, frame - this.quiet - 1);
  }

  /** Something was heard at `frame`, where this does not look. */
  heard(frame: Frames): void {
    this.lastLoud = Math.max(this.lastLoud, frame);
  }

  /** The last frame with sound in it, from the content's end on. */
  get loudest(): Frames {
    return this.lastLoud;
  }

  /** Looks at the block of all taps that starts at timeline frame `start`; the end when it lies in or before the block, else null. */
  end(signals: readonly Signal[], start: Frames, frames: Frames): Frames | null {
    for (let frame = Math.max(start, this.lastLoud + 1); frame < start + frames; frame++) {
      if (this.lastLoud + 1 + this.quiet <= frame) break;
      const i = frame - start;
      if (signals.some((s) => !s.silent && (Math.abs(s.left[i] as number) > TAIL_FLOOR || Math.abs(s.right[i] as number) > TAIL_FLOOR))) this.lastLoud = frame;
    }
    const end = this.lastLoud + 1 + this.quiet;
    return end <= start + frames ? end : null;
  }
}
