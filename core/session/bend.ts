import type { Frames } from "../units";
import type { AudioClip } from "./document";

/** How the time of a recording is bent: by one factor, and between places that are held. */
export type Bend = Pick<AudioClip, "stretch" | "timeMarks">;

/** The least and the most that a stretch between two marks may be of its own length. */
export const LEAST_STRETCH = 0.25;
export const MOST_STRETCH = 4;

/**
 * Where every frame of a recording comes to lie once it is stretched: straight from its beginning to the first mark,
 * from mark to mark, and by the clip's factor behind the last. `at` is the recording's own time (as reversed), `to`
 * that of the stretched audio, which a clip's offset counts in.
 */
export class TimeMap {
  private readonly at: readonly Frames[];
  private readonly to: readonly Frames[];
  /** Frames of the stretched audio. */
  readonly frames: Frames;

  constructor(frames: Frames, { stretch, timeMarks }: Bend) {
    const inside = timeMarks.filter((m) => m.at > 0 && m.at <= frames);
    const last = inside.at(-1) ?? { at: 0, to: 0 };
    this.frames = Math.max(1, last.to + Math.round((frames - last.at) * stretch));
    const end = last.at === frames ? [] : [{ at: frames, to: this.frames }];
    const places = [{ at: 0, to: 0 }, ...inside, ...end];
    this.at = places.map((m) => m.at);
    this.to = places.map((m) => m.to);
  }

  /** Places in the stretched audio where the factor changes, from 0 to its end. */
  get turns(): readonly Frames[] {
    return this.to;
  }

  /** Of a place in the recording; both may lie between frames, and beyond the ends. */
  toStretched(at: number): number {
    return between(this.at, this.to, at);
  }

  /** Of a place in the stretched audio. */
  toRecording(to: number): number {
    return between(this.to, this.at, to);
  }
}

/** Straight between the nearest two places of a rising list; the first and the last stretch go on beyond it. */
function between(from: readonly number[], to: readonly number[], x: number): number {
  let low = 0;
  let high = from.length - 2;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if ((from[middle] as number) <= x) low = middle;
    else high = middle - 1;
  }
  const [a, b] = [from[low] as number, from[low + 1] as number];
  const [c, d] = [to[low] as number, to[low + 1] as number];
  return b === a ? c : c + ((x - a) * (d - c)) / (b - a);
}

/** Frames that a recording has once it is stretched. */
export const stretchedFrames = (frames: Frames, bend: Bend): Frames =>
  bend.timeMarks.length === 0 ? Math.max(1, Math.round(frames * bend.stretch)) : new TimeMap(frames, bend).frames;

/** What a line of pitch says at a place of the recording, in cents: straight between its points, level beyond them. */
export function centsAt(line: AudioClip["pitchLine"], at: number): number {
  const [first] = line;
  const last = line.at(-1);
  if (!first || !last) return 0;
  if (at <= first.at) return first.cents;
  if (at >= last.at) return last.cents;
  let low = 0;
  let high = line.length - 2;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if ((line[middle]?.at ?? 0) <= at) low = middle;
    else high = middle - 1;
  }
  const [a, b] = [line[low] ?? first, line[low + 1] ?? last];
  return a.cents + ((at - a.at) * (b.cents - a.cents)) / (b.at - a.at);
}
