import { dbToGain } from "../math";
import type { Frames, Seconds } from "../units";
import type { Signal } from "./path";

/**
 * How a pass goes on behind its content. `measured`: until every tap has stayed under -90 dBFS for half a second, as
 * delivered files need it. `whole`: under -120 dBFS, as prints need it that stand in their source's place: what a slow
 * reverb loses when it is cut at -90 can be found in the mix. `none`: not at all.
 */
export type Tail = "measured" | "whole" | "none";
const FLOORS: Record<Exclude<Tail, "none">, number> = { measured: dbToGain(-90), whole: dbToGain(-120) };
export const tailFloor = (tail: Tail): number => (tail === "none" ? Infinity : FLOORS[tail]);
/**
 * A file that ends with its own last sound ends where it stays under this. So far down that even what many files lose
 * together is not found in their sum.
 */
export const TRIM_FLOOR = dbToGain(-144);
export const QUIET_S: Seconds = 0.5;
/** Longest tail that is waited for. */
export const TAIL_CAP_S: Seconds = 30;

/**
 * Finds the frame at which a tail ends: the first one from the content's end on with a quiet half second in front of
 * it.
 */
export class TailWatch {
  private readonly quiet: Frames;
  private lastLoud: Frames;

  constructor(
    contentEnd: Frames,
    rate: number,
    private readonly floor = FLOORS.measured,
  ) {
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

  /**
   * Looks at the block of all taps that starts at timeline frame `start`; the end when it lies in or before the block,
   * else null.
   */
  end(signals: readonly Signal[], start: Frames, frames: Frames): Frames | null {
    for (let frame = Math.max(start, this.lastLoud + 1); frame < start + frames; frame++) {
      if (this.lastLoud + 1 + this.quiet <= frame) break;
      const i = frame - start;
      if (
        signals.some(
          (s) =>
            !s.silent && (Math.abs(s.left[i] as number) > this.floor || Math.abs(s.right[i] as number) > this.floor),
        )
      )
        this.lastLoud = frame;
    }
    const end = this.lastLoud + 1 + this.quiet;
    return end <= start + frames ? end : null;
  }
}
