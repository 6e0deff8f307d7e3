import type { Frames } from "../units";
import type { Loss, Losses } from "./loss";
import type { Timeline } from "./timeline";

/** What a reader makes of a file: a timeline, what was lost on the way, and the audio that is in the file itself. */
export interface ReadTimeline<Embedded = never> {
  readonly timeline: Timeline;
  readonly losses: readonly Loss[];
  /** By id of the media. */
  readonly embedded: ReadonlyMap<string, Embedded>;
}

/** Farther out nothing stands: 2^40 frames, as far as a session reaches. */
export const FARTHEST: Frames = 1099511627776;
/** A place that is this close to a frame is on it: files that count in doubles are off by a few of their last bits. */
const CLOSE = 1e-4;

/** Turns places in other units into whole frames, and keeps account of those that were none. */
export class FrameGrid {
  constructor(
    readonly rate: number,
    private readonly losses: Losses,
  ) {}

  /** The frame at `value` units of `unitsPerSecond`, both exact; 0 where the place is no number. */
  at(value: number, unitsPerSecond: number): Frames {
    const exact = unitsPerSecond === this.rate ? value : (value * this.rate) / unitsPerSecond;
    if (!Number.isFinite(exact)) {
      this.losses.add("places between frames", "approximated", "", 1, "not a number");
      return 0;
    }
    const frame = Math.round(exact);
    if (Math.abs(exact - frame) > CLOSE) this.losses.add("places between frames", "approximated");
    if (Math.abs(frame) > FARTHEST) {
      this.losses.add("places between frames", "approximated", "", 1, "out of reach");
      return frame < 0 ? -FARTHEST : FARTHEST;
    }
    return frame === 0 ? 0 : frame;
  }
}

/** Rates that are written as decimals and mean a fraction. SMPTE ST 12-1, 5. */
const BROKEN_RATES = [24, 30, 48, 60, 120];

/** A rate of pictures as it is meant: 29.97 is 30000/1001. */
export function exactRate(rate: number): number {
  for (const whole of BROKEN_RATES) if (Math.abs(rate - (whole * 1000) / 1001) < 0.005) return (whole * 1000) / 1001;
  return rate;
}
