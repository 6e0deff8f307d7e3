import { PI, cos, dbToGain, sin } from "../math";
import { QUANTUM } from "../devices/device";
import type { Track } from "../session/document";
import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import type { Arena } from "../kernels/arena";
import { GLIDE, trackCurve } from "./automation";
import type { Floats } from "../kernels/kernels";

/** Left and right factors of the pan law: constant power, exactly 1 at the centre; for stereo it acts as a balance. */
export function panGains(pan: number): readonly [left: number, right: number] {
  if (pan === 0) return [1, 1];
  const angle = ((pan + 1) * PI) / 4;
  return [Math.SQRT2 * cos(angle), Math.SQRT2 * sin(angle)];
}

const SHUT = [0, 0] as const;

/** How long a path takes to fall silent by a mute or a solo: half a glide, so that a hand is heard sooner. */
const GLIDE_SHUT: Frames = GLIDE / 2;

/** The gains of a channel at a frame of the timeline. */
type Gains = (frame: Frames) => readonly [left: number, right: number];

/**
 * Fader, pan and mute at the end of a path. Automated values are taken every quantum of the timeline and ramped
 * between.
 */
export class Channel {
  private gains: Gains;
  /** Whether the gains change by themselves. */
  private moves: boolean;
  private fixed: readonly [number, number];
  /** Where the gains were when a hand moved them, and from when on they leave there. */
  private leaving: {
    readonly gains: readonly [number, number];
    readonly start: Frames;
    readonly length: Frames;
  } | null = null;

  constructor(
    track: Track,
    private readonly tempo: TempoMap,
    private readonly arena: Arena,
  ) {
    ({ gains: this.gains, moves: this.moves } = this.read(track, false));
    this.fixed = this.moves ? SHUT : this.gains(0);
  }

  /**
   * Takes fader, pan and mute from a track as it has become; from the timeline's frame `at` on they glide there, or are
   * there if it is null. `shut`: nothing of it shall be heard.
   */
  put(track: Track, shut: boolean, at: Frames | null): void {
    const start = Math.ceil((at ?? 0) / QUANTUM) * QUANTUM;
    const before = at === null ? null : this.gainsAt(start);
    ({ gains: this.gains, moves: this.moves } = this.read(track, shut));
    this.fixed = this.moves ? SHUT : this.gains(0);
    const falls = !this.moves && this.fixed[0] === 0 && this.fixed[1] === 0;
    this.leaving = before && { gains: before, start, length: falls ? GLIDE_SHUT : GLIDE };
  }

  private read(track: Track, shut: boolean): { readonly gains: Gains; readonly moves: boolean } {
    const { tempo } = this;
    const fader = trackCurve(track, "fader", tempo);
    const pan = trackCurve(track, "pan", tempo);
    const mute = trackCurve(track, "mute", tempo);
    if (shut || (track.mute && !mute)) return { gains: () => SHUT, moves: false };
    const gains: Gains = (frame) => {
      if (mute && mute(frame) >= 0.5) return SHUT;
      const gain = dbToGain(fader ? fader(frame) : track.faderDb);
      const [left, right] = panGains(pan ? pan(frame) : track.pan);
      return [gain * left, gain * right];
    };
    return { gains, moves: fader !== null || pan !== null || mute !== null };
  }

  /** Writes the channel's output for `frames` frames from timeline frame `at`; returns whether it is silent. */
  process(
    inLeft: Floats,
    inRight: Floats,
    left: Floats,
    right: Floats,
    frames: Frames,
    at: Frames,
    silent: boolean,
  ): boolean {
    if (this.leaving && at >= this.leaving.start + this.leaving.length) this.leaving = null;
    const moves = this.moves || this.leaving !== null;
    const [gainLeft, gainRight] = this.fixed;
    if (silent || (!moves && gainLeft === 0 && gainRight === 0)) {
      left.fill(0, 0, frames);
      right.fill(0, 0, frames);
      return true;
    }
    if (!moves) {
      const { scale } = this.arena.kernels;
      scale(left.address, inLeft.address, gainLeft, frames);
      scale(right.address, inRight.address, gainRight, frames);
      return false;
    }
    const { glide } = this.arena.kernels;
    for (let i = 0; i < frames;) {
      const grid = Math.floor((at + i) / QUANTUM) * QUANTUM;
      const [l0, r0] = this.gainsAt(grid);
      const [l1, r1] = this.gainsAt(grid + QUANTUM);
      const end = Math.min(frames, grid + QUANTUM - at);
      glide(left.address + 4 * i, inLeft.address + 4 * i, end - i, l0, l1 - l0, at + i - grid);
      glide(right.address + 4 * i, inRight.address + 4 * i, end - i, r0, r1 - r0, at + i - grid);
      i = end;
    }
    return false;
  }

  private gainsAt(frame: Frames): readonly [number, number] {
    const goal = this.gains(Math.max(0, frame));
    if (!this.leaving) return goal;
    const { gains, start, length } = this.leaving;
    const x = Math.max(0, Math.min(1, (frame - start) / length));
    return [gains[0] + (goal[0] - gains[0]) * x, gains[1] + (goal[1] - gains[1]) * x];
  }
}
