import type { AudioReader } from "../audio/audio-reader";
import type { Frames } from "../units";
import type { WholeZone } from "./instrument";

/** The stretch of a recording that a zone plays, and the loop in it. */
export interface Stretch {
  readonly from: Frames;
  readonly to: Frames;
  readonly loop: WholeZone["loop"];
  readonly loopFrom: Frames;
  readonly loopTo: Frames;
}

/** A zone's stretch within a recording; a loop that is empty or outside is none. */
export function stretchOf(
  { from, to, loop, loopFrom, loopTo }: Pick<WholeZone, "from" | "to" | "loop" | "loopFrom" | "loopTo">,
  frames: Frames,
): Stretch {
  const end = Math.min(to ?? frames, frames);
  const [first, last] = [Math.max(0, loopFrom), Math.min(loopTo, frames)];
  const start = Math.min(from, end);
  // A loop may go on behind the zone's end, which it never reaches.
  if (loop === "none" || last - first < 1) return { from: start, to: end, loop: "none", loopFrom: 0, loopTo: 0 };
  return { from: start, to: Math.max(end, last), loop, loopFrom: first, loopTo: last };
}

/**
 * Frame of a recording that stands at a place of its reading, which counts on through every round of the loop; -1 where
 * there is silence. `exit`: place at which the loop is left. Loops end in front of their last frame's successor, which
 * is their first again: SoundFont 2.04, 7.10.
 */
export function frameAt({ from, to, loop, loopFrom, loopTo }: Stretch, place: number, exit: number): number {
  if (place < from) return -1;
  if (loop === "none") return place < to ? place : -1;
  if (place < loopTo) return place;
  if (place < exit) return loopFrom + ((place - loopFrom) % (loopTo - loopFrom));
  const after = loopTo + place - exit;
  return after < to ? after : -1;
}

/** Places behind `place` that stand at frames one after the other, itself included. */
function runAt({ from, to, loop, loopFrom, loopTo }: Stretch, place: number, exit: number): number {
  if (place < from) return from - place;
  if (loop === "none") return place < to ? to - place : Infinity;
  if (place < loopTo) return loopTo - place;
  const length = loopTo - loopFrom;
  if (place < exit) return Math.min(exit - place, length - ((place - loopFrom) % length));
  const after = loopTo + place - exit;
  return after < to ? to - after : Infinity;
}

/** The place at which a loop that is let go at `place` is left: the end of the round that it is in. */
export function exitFrom({ loop, loopFrom, loopTo }: Stretch, place: number): number {
  if (loop !== "until release") return Infinity;
  const length = loopTo - loopFrom;
  return place < loopTo ? loopTo : loopFrom + (Math.floor((place - loopFrom) / length) + 1) * length;
}

/** The place behind the last sound; a loop that is not left has none. */
export const endOf = ({ to, loop, loopTo }: Stretch, exit: number): number =>
  loop === "none" ? to : exit === Infinity ? Infinity : exit + to - loopTo;

/** Fills `left` and `right` with what stands at `count` places from `first` on; silence outside. */
export function readPlaces(
  audio: AudioReader,
  stretch: Stretch,
  exit: number,
  first: number,
  count: Frames,
  left: Float32Array,
  right: Float32Array,
): void {
  for (let done = 0; done < count;) {
    const place = first + done;
    const n = Math.min(count - done, runAt(stretch, place, exit));
    const frame = frameAt(stretch, place, exit);
    if (frame < 0) {
      left.fill(0, done, done + n);
      right.fill(0, done, done + n);
    } else audio.read(frame, n, left, right, done);
    done += n;
  }
}
