import { stretchedFrames } from "../../core/session/bend";
import type { AudioClip } from "../../core/session/document";
import type { Frames } from "../../core/units";

/** The same part of a recording of `audio` frames at another stretch: what of the clip has to change. */
export function stretchedClip(
  clip: AudioClip,
  stretch: number,
  audio: Frames,
): Pick<AudioClip, "stretch" | "offset" | "frames" | "fadeIn" | "fadeOut" | "timeMarks"> {
  const by = stretch / clip.stretch;
  // What is bent stays bent as it is, longer or shorter as a whole.
  const timeMarks = clip.timeMarks.map((m) => ({ ...m, to: Math.round(m.to * by) }));
  const most = stretchedFrames(audio, { stretch, timeMarks });
  const offset = Math.min(most - 1, Math.round(clip.offset * by));
  const frames = Math.max(1, Math.min(most - offset, Math.round(clip.frames * by)));
  const fadeIn = { ...clip.fadeIn, frames: Math.min(frames, Math.round(clip.fadeIn.frames * by)) };
  return {
    stretch,
    timeMarks,
    offset,
    frames,
    fadeIn,
    fadeOut: { ...clip.fadeOut, frames: Math.min(frames - fadeIn.frames, Math.round(clip.fadeOut.frames * by)) },
  };
}
