import type { Frames } from "../units";
import { LEAST_STRETCH, MOST_STRETCH, TimeMap } from "./bend";
import type { AudioClip } from "./document";
import type { Checked } from "./problem";
import { refuse } from "./problem";

export type TimeMark = AudioClip["timeMarks"][number];
export type PitchPoint = AudioClip["pitchLine"][number];

/** What an edit of a clip's time changes. */
export type Bent = Pick<AudioClip, "timeMarks" | "frames" | "fadeIn" | "fadeOut">;

/** Two marks nearer than this are one: a hand cannot tell them apart, and nothing is heard between them. */
const NEAREST_S = 0.005;

/**
 * Holds what sounds `into` frames of a clip where it is, as a mark that can be moved. With the first one both ends of
 * what the clip plays are held too, so that moving it leaves them where they are. `audio`: frames of the asset.
 */
export function holdTime(clip: AudioClip, audio: Frames, into: Frames, rate: number): Checked<readonly TimeMark[]> {
  if (into < 0 || into > clip.frames) return refuse("at", "That place is not inside the clip");
  const map = new TimeMap(audio, clip);
  const least = Math.round(NEAREST_S * rate);
  const marks = [...clip.timeMarks];
  const put = (to: Frames): boolean => {
    const at = Math.round(map.toRecording(to));
    if (at <= 0 || at >= audio) return false;
    if (marks.some((m) => Math.abs(m.at - at) < least || Math.abs(m.to - to) < least)) return false;
    marks.push({ at, to });
    marks.sort((a, b) => a.at - b.at);
    return true;
  };
  const to = clip.offset + Math.round(into);
  const isFirst = marks.length === 0;
  if (!put(to)) return refuse("at", "There is a time marker already, or the audio begins or ends here");
  if (isFirst) {
    put(clip.offset);
    put(clip.offset + clip.frames);
  }
  return { ok: true, value: marks };
}

/** Holds several places at once; those that are too near to another are left out. */
export function holdTimes(clip: AudioClip, audio: Frames, into: readonly Frames[], rate: number): readonly TimeMark[] {
  let now = clip;
  for (const place of into) {
    const made = holdTime(now, audio, place, rate);
    if (made.ok) now = { ...now, timeMarks: [...made.value] };
  }
  return now.timeMarks;
}

/** The place nearest to `to` that a mark can go to: between its neighbours, neither squeezed nor drawn too far. */
export function reachOfMark(clip: AudioClip, index: number, to: Frames): Frames {
  const mark = clip.timeMarks[index];
  if (!mark) return to;
  const before = clip.timeMarks[index - 1] ?? { at: 0, to: 0 };
  const after = clip.timeMarks[index + 1];
  const own = mark.at - before.at;
  let low = before.to + Math.max(1, Math.ceil(own * LEAST_STRETCH));
  let high = before.to + Math.floor(own * MOST_STRETCH);
  if (after) {
    const next = after.at - mark.at;
    low = Math.max(low, after.to - Math.floor(next * MOST_STRETCH));
    high = Math.min(high, after.to - Math.max(1, Math.ceil(next * LEAST_STRETCH)));
  }
  return Math.max(low, Math.min(high, Math.round(to)));
}

/** A clip with one of its marks moved as near to a place as it can be; it ends where its audio does at the latest. */
export function moveMark(clip: AudioClip, audio: Frames, index: number, to: Frames): Bent {
  const place = reachOfMark(clip, index, to);
  return withMarks(
    clip,
    audio,
    clip.timeMarks.map((m, i) => (i === index ? { ...m, to: place } : m)),
  );
}

/** A clip with other marks; no longer than its audio is then. */
export function withMarks(clip: AudioClip, audio: Frames, marks: readonly TimeMark[]): Bent {
  const timeMarks = [...marks];
  const all = new TimeMap(audio, { ...clip, timeMarks }).frames;
  const frames = Math.max(1, Math.min(clip.frames, all - clip.offset));
  const fadeIn = { ...clip.fadeIn, frames: Math.min(clip.fadeIn.frames, frames) };
  const fadeOut = { ...clip.fadeOut, frames: Math.min(clip.fadeOut.frames, frames - fadeIn.frames) };
  return { timeMarks, frames, fadeIn, fadeOut };
}

/** A line of pitch with a point more, or with the one that stands there moved. */
export function withPitch(line: readonly PitchPoint[], at: Frames, cents: number): readonly PitchPoint[] {
  const kept = line.filter((p) => p.at !== at);
  return [...kept, { at, cents: Math.max(-2400, Math.min(2400, Math.round(cents))) }].sort((a, b) => a.at - b.at);
}

/** The same audio of a clip, played backwards: what was at its end is now at its beginning. */
export function reversed(
  clip: AudioClip,
  audio: Frames,
): Pick<AudioClip, "reverse" | "offset" | "timeMarks" | "pitchLine"> {
  const all = new TimeMap(audio, clip).frames;
  // What lay in front of the first mark lies behind the last one now, and is held at its end.
  const held = clip.timeMarks.length > 0 ? [{ at: 0, to: 0 }, ...clip.timeMarks].filter((m) => m.at < audio) : [];
  return {
    reverse: !clip.reverse,
    offset: all - clip.offset - clip.frames,
    timeMarks: held.reverse().map((m) => ({ at: audio - m.at, to: all - m.to })),
    pitchLine: [...clip.pitchLine].reverse().map((p) => ({ ...p, at: audio - p.at })),
  };
}
