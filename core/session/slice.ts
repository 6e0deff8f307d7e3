import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { TimeMap } from "./bend";
import { splitClip } from "./clip-edits";
import type { AudioClip, Session } from "./document";
import type { Edit } from "./edits";
import { applyTyped } from "./apply";
import type { Checked } from "./problem";
import { refuse } from "./problem";
import { trackOf } from "./routing";

/** A slice shorter than this is none: two beginnings so near are one. */
const LEAST_SLICE_S = 0.03;
const MOST_SLICES = 1000;

/** Frames of the timeline at which beginnings of an asset are heard in a clip, in order. `assetFrames`: its length. */
export function onsetsInClip(clip: AudioClip, onsets: readonly Frames[], assetFrames: Frames): readonly Frames[] {
  const map = new TimeMap(assetFrames, clip);
  return onsets
    .map((onset) => (clip.reverse ? assetFrames - onset : onset))
    .map((frame) => clip.start + Math.round(map.toStretched(frame)) - clip.offset)
    .filter((at) => at > clip.start && at < clip.start + clip.frames)
    .sort((a, b) => a - b);
}

/**
 * Cuts a clip of audio at every one of some frames, so that the track sounds as before: what cannot be cut without
 * being heard (inside a fade, under another clip) stays whole. Answers with the edits and the pieces, the clip itself
 * first. Refuses where nothing can be cut.
 */
export function sliceClip(
  session: Session,
  { track: trackId, clip: clipId }: { readonly track: string; readonly clip: string },
  at: readonly Frames[],
  tempo: TempoMap,
  newId: () => string,
): Checked<{ readonly edits: readonly Edit[]; readonly pieces: readonly string[] }> {
  const edits: Edit[] = [];
  const pieces: string[] = [];
  const least = LEAST_SLICE_S * session.rate;
  let now = session;
  let next = Infinity;
  // From the end on, what is left to be cut is always the first piece, which keeps its id.
  for (const frame of [...at].sort((a, b) => b - a).slice(0, MOST_SLICES)) {
    const track = trackOf(now, trackId);
    const clip = track.clips.find((c) => c.id === clipId);
    if (!clip || clip.kind !== "audio") return refuse("clips", "Only clips of audio are cut at what sounds in them");
    if (next - frame < least || frame - clip.start < least) continue;
    const id = newId();
    const made = splitClip(track, clip, frame, tempo, id);
    if (!made.ok) continue;
    const applied = applyTyped(now, { label: "Slice", edits: [...made.value] });
    if (!applied.ok) return applied;
    now = applied.value.session;
    edits.push(...made.value);
    pieces.unshift(id);
    next = frame;
  }
  return pieces.length === 0
    ? refuse("clips", "Nothing in it begins where it could be cut")
    : { ok: true, value: { edits, pieces: [clipId, ...pieces] } };
}
