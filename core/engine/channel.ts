import { PI, cos, dbToGain, sin } from "../math";
import { QUANTUM } from "../devices/device";
import type { Track } from "../session/document";
import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import type { Arena } from "./arena";
import type { Curve } from "./automation";
import { trackCurve } from "./automation";

/** Left and right factors of the pan law: constant power, exactly 1 at the centre; for stereo it acts as a balance. */
export function panGains(pan: number): readonly [left: number, right: number] {
  if (pan === 0) return [1, 1];
  const angle = ((pan + 1) * PI) / 4;
  return [Math.SQRT2 * cos(angle), Math.SQRT2 * sin(angle)];
}

const SHUT = [0, 0] as const;

/** Fader, pan and mute at the end of a path. Automated values are taken every quantum of the timeline and ramped between. */
export class Channel {
  private readonly fader: Curve | null;
  private readonly pan: Curve | null;
  private readonly mute: Curve | null;
  private readonly fixed: readonly [number, number];

  constructor(private readonly track: Track, tempo: TempoMap, private readonly arena: Arena) {
    this.fader = trackCurve(track, "fader", tempo);
    this.pan = trackCurve(track, "pan", tempo);
    this.mute = trackCurve(track, "mute", tempo);
    const gain = dbToGain(track.faderDb);
    const [left, right] = panGains(track.pan);
    this.fixed = [gain * left, gain * right];
  }

  /** Writes the channel's output for `frames` frames from timeline frame `at`; returns whether it is silent. */
  process(inLeft: Float32Array, inRight: Float32Array, left: Float32Array, right: Float32Array, frames: Frames, at: Frames, silent: boolean): boolean {
    const [gainLeft, gainRight] = this.fixed;
    const moves = this.fader !== null || this.pan !== null || this.mute !== null;
    if (silent || (this.track.mute && this.mute === null) || (!moves && gainLeft === 0 && gainRight === 0)) {
      left.fill(0, 0, frames);
      right.fill(0, 0, frames);
      return true;
    }
    if (!moves) {
      const { scale } = this.arena.kernels;
      scale(left.byteOffset, inLeft.byteOffset, gainLeft, frames);
      scale(right.byteOffset, inRight.byteOffset, gainRight, frames);
      return false;
    }
    let i = 0;
    while (i < frames) {
      const grid = Math.floor((at + i) / QUANTUM) * QUANTUM;
      const [l0, r0] = this.gainsAt(grid);
      const [l1, r1] = this.gainsAt(grid + QUANTUM);
      const end = Math.min(frames, grid + QUANTUM - at);
      for (; i < end; i++) {
        const x = (at + i - grid) / QUANTUM;
        left[i] = (inLeft[i] as number) * (l0 + (l1 - l0) * x);
        right[i] = (inRight[i] as number) * (r0 + (r1 - r0) * x);
      }
    }
    return false;
  }

  private gainsAt(frame: Frames): readonly [number, number] {
    const at = Math.max(0, frame);
    if (this.mute && this.mute(at) >= 0.5) return SHUT;
    const gain = dbToGain(this.fader ? this.fader(at) : this.track.faderDb);
    const [left, right] = panGains(this.pan ? this.pan(at) : this.track.pan);
    return [gain * left, gain * right];
  }
}
