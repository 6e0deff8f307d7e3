import { shownName } from "../session/names";
import type { Timeline, TimelineClip, TimelineFade, TimelineTrack } from "../timeline/timeline";

/** Levels that are this close are the same: files write them as fractions and gains. */
const CLOSE_DB = 0.001;

/** How a timeline that was read back differs. The sentences are in `core/words/read-back.ts`. */
export type TimelineDifference =
  | { readonly kind: "tracks"; readonly told: number; readonly read: number }
  | { readonly kind: "markers" }
  | { readonly kind: "clips"; readonly track: string; readonly told: number; readonly read: number }
  /** `clip`: its place among the clips of its track, from 1. */
  | { readonly kind: "clip"; readonly track: string; readonly clip: number }
  | { readonly kind: "notes"; readonly track: string };

/**
 * What differs between a timeline as it was told and as it was read back; places are compared to the frame. `orderOf`:
 * the order of tracks that the kind of file gives. Names of tracks are not compared where a kind of file cannot write
 * all letters.
 */
export function compareTimelines(
  told: Timeline,
  read: Timeline,
  orderOf: (tracks: readonly TimelineTrack[]) => readonly TimelineTrack[] = (tracks) => tracks,
): readonly TimelineDifference[] {
  const differences: TimelineDifference[] = [];
  const tracks = orderOf(told.tracks);
  if (tracks.length !== read.tracks.length)
    differences.push({ kind: "tracks", told: tracks.length, read: read.tracks.length });
  tracks.forEach((track, i) => {
    const other = read.tracks[i];
    if (other) differences.push(...compareTracks(track, other, told, read));
  });
  if (told.markers.map((m) => m.frame).join() !== read.markers.map((m) => m.frame).join())
    differences.push({ kind: "markers" });
  return differences;
}

function compareTracks(
  told: TimelineTrack,
  read: TimelineTrack,
  a: Timeline,
  b: Timeline,
): readonly TimelineDifference[] {
  const track = shownName(told);
  if (told.clips.length !== read.clips.length)
    return [{ kind: "clips", track, told: told.clips.length, read: read.clips.length }];
  const off = told.clips.findIndex((clip, i) => {
    const other = read.clips[i];
    return !other || !sameClip(clip, other) || lengthOf(a, clip) !== lengthOf(b, other);
  });
  const notes = [told, read].map(allNotes);
  return [
    ...(off < 0 ? [] : [{ kind: "clip", track, clip: off + 1 } as const]),
    ...(notes[0] === notes[1] ? [] : [{ kind: "notes", track } as const]),
  ];
}

const lengthOf = ({ media }: Timeline, clip: TimelineClip): number =>
  media.find((m) => m.id === clip.media)?.frames ?? -1;

const sameClip = (a: TimelineClip, b: TimelineClip): boolean =>
  a.start === b.start &&
  a.frames === b.frames &&
  a.offset === b.offset &&
  a.crossfade === b.crossfade &&
  Math.abs(a.gainDb - b.gainDb) <= CLOSE_DB &&
  sameFade(a.fadeIn, b.fadeIn) &&
  sameFade(a.fadeOut, b.fadeOut);

const sameFade = (a: TimelineFade, b: TimelineFade): boolean => a.frames === b.frames && a.shape === b.shape;

/** Every note at its place on the timeline, whatever clips it lies in. */
const allNotes = ({ notes }: TimelineTrack): string =>
  notes
    .flatMap((clip) => clip.notes.map((n) => [clip.start + n.tick, n.pitch, n.ticks, n.velocity].join(" ")))
    .sort()
    .join("\n");
