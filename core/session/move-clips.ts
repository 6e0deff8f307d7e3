import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { clipSpan } from "./clips";
import type { Clip, Session, Track } from "./document";
import type { Edit } from "./edits";
import { takesAudio } from "./import";

/** A clip of a track. */
export interface ClipRef {
  readonly track: string;
  readonly clip: string;
}

/** The clips of a selection that are still there, with their tracks. */
export const clipsOf = (
  session: Session,
  refs: readonly ClipRef[],
): readonly { readonly track: Track; readonly clip: Clip }[] =>
  refs.flatMap((ref) => {
    const track = session.tracks.find((t) => t.id === ref.track);
    const clip = track?.clips.find((c) => c.id === ref.clip);
    return track && clip ? [{ track, clip }] : [];
  });

/** A clip that begins `by` frames later; notes go to the nearest tick. */
export function shifted(clip: Clip, by: Frames, tempo: TempoMap): Clip {
  if (by === 0) return clip;
  if (clip.kind !== "notes") return { ...clip, start: Math.max(0, clip.start + by) };
  return { ...clip, start: Math.max(0, Math.round(tempo.toTicks(Math.max(0, tempo.toFrames(clip.start) + by)))) };
}

/** How far clips can go to the left together before the first of them meets the beginning. */
export const heldShift = (clips: readonly Clip[], by: Frames, tempo: TempoMap): Frames =>
  Math.max(by, -Math.min(Infinity, ...clips.map((c) => clipSpan(c, tempo).from)));

/** Whether clips that are dragged up or down by rows all land on tracks that take them. */
export function rowsFit(session: Session, refs: readonly ClipRef[], rows: number): boolean {
  return clipsOf(session, refs).every(({ track, clip }) => {
    const onto = session.tracks[session.tracks.indexOf(track) + rows];
    if (!onto) return false;
    return clip.kind === "notes" ? onto.kind === "instrument" && !onto.frozen && !onto.parked : takesAudio(onto);
  });
}

/**
 * Moves clips together in time and over rows of the same kind; where a row does not take one of them, all stay on their
 * tracks.
 */
export function moveClips(
  session: Session,
  refs: readonly ClipRef[],
  by: Frames,
  rows: number,
  tempo: TempoMap,
): { readonly edits: readonly Edit[]; readonly refs: readonly ClipRef[] } {
  const clips = clipsOf(session, refs);
  const shift = heldShift(
    clips.map((c) => c.clip),
    by,
    tempo,
  );
  const across = rows !== 0 && rowsFit(session, refs, rows) ? rows : 0;
  const edits: Edit[] = [];
  const moved: ClipRef[] = [];
  const added = new Map<string, number>();
  for (const { track, clip } of clips) {
    const after = shifted(clip, shift, tempo);
    const onto = across === 0 ? track : (session.tracks[session.tracks.indexOf(track) + across] ?? track);
    moved.push({ track: onto.id, clip: clip.id });
    if (onto === track) {
      if (after.start !== clip.start)
        edits.push({ do: "set", in: "clips", track: track.id, id: clip.id, patch: { start: after.start } });
      continue;
    }
    edits.push({ do: "remove", in: "clips", track: track.id, id: clip.id });
  }
  if (across !== 0) {
    // All are taken away before any is put down: their rows may be each other's.
    for (const { track, clip } of clips) {
      const onto = session.tracks[session.tracks.indexOf(track) + across] ?? track;
      const gone = clips.filter((c) => c.track === onto).length;
      const index = onto.clips.length - gone + (added.get(onto.id) ?? 0);
      added.set(onto.id, (added.get(onto.id) ?? 0) + 1);
      edits.push({ do: "add", in: "clips", track: onto.id, item: { ...shifted(clip, shift, tempo) }, index });
    }
  }
  return { edits, refs: moved };
}

/** Copies of clips where moving would put them; the clips themselves stay. */
export function copyClips(
  session: Session,
  refs: readonly ClipRef[],
  by: Frames,
  rows: number,
  tempo: TempoMap,
  newId: () => string,
): { readonly edits: readonly Edit[]; readonly refs: readonly ClipRef[] } {
  const clips = clipsOf(session, refs);
  const shift = heldShift(
    clips.map((c) => c.clip),
    by,
    tempo,
  );
  const across = rows !== 0 && rowsFit(session, refs, rows) ? rows : 0;
  const added = new Map<string, number>();
  const made: ClipRef[] = [];
  const edits = clips.map(({ track, clip }): Edit => {
    const onto = session.tracks[session.tracks.indexOf(track) + across] ?? track;
    const count = added.get(onto.id) ?? 0;
    added.set(onto.id, count + 1);
    const id = newId();
    made.push({ track: onto.id, clip: id });
    const item = { ...shifted(clip, shift, tempo), id };
    return { do: "add", in: "clips", track: onto.id, item, index: onto.clips.length + count };
  });
  return { edits, refs: made };
}

/** The clips that lie in a range of some tracks, at least in part. */
export const clipsWithin = (
  session: Session,
  tracks: ReadonlySet<string>,
  from: Frames,
  to: Frames,
  tempo: TempoMap,
): readonly ClipRef[] =>
  session.tracks
    .filter((t) => tracks.has(t.id))
    .flatMap((track) =>
      track.clips.flatMap((clip): ClipRef[] => {
        const span = clipSpan(clip, tempo);
        return span.from < to && span.to > from ? [{ track: track.id, clip: clip.id }] : [];
      }),
    );
