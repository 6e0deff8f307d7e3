import { PI, cos, sin } from "../math";
import type { Fade, PlacedClip } from "../session/document";
import type { Frames } from "../units";

/** Fades of a clip on its frames `from` to `to`; its frame f stands at `base + f`. */
export function fade(
  { fadeIn, fadeOut, frames }: Pick<PlacedClip, "fadeIn" | "fadeOut" | "frames">,
  left: Float32Array,
  right: Float32Array,
  from: Frames,
  to: Frames,
  base: number,
): void {
  const fadeInEnd = Math.min(to, fadeIn.frames);
  for (let f = from; f < fadeInEnd; f++) scale(left, right, base + f, fadeGain(fadeIn, f));
  for (let f = Math.max(from, frames - fadeOut.frames); f < to; f++)
    scale(left, right, base + f, fadeGain(fadeOut, frames - 1 - f));
}

function scale(left: Float32Array, right: Float32Array, i: number, gain: number): void {
  left[i] = (left[i] as number) * gain;
  right[i] = (right[i] as number) * gain;
}

/** Gain of a fade `into` frames from its silent end. */
export function fadeGain(fade: Fade, into: Frames): number {
  const x = (into + 0.5) / fade.frames;
  switch (fade.shape) {
    case "linear":
      return x;
    case "equal power":
      return sin((PI / 2) * x);
    case "S":
      return 0.5 - 0.5 * cos(PI * x);
    // Both bend as a square does: late out of silence, or early.
    case "slow":
      return x * x;
    case "quick":
      return 1 - (1 - x) * (1 - x);
  }
}
