import type { Note, NoteClip, Phrase, Session, Track } from "./document";
import type { Edit } from "./edits";
import { difference } from "./values";

/** Every clip that plays a phrase, with its track, in the order of tracks and clips. */
export const placementsOf = (
  session: Session,
  phrase: string,
): readonly { readonly track: Track; readonly clip: NoteClip }[] =>
  session.tracks.flatMap((track) =>
    track.clips.flatMap((clip) => (clip.kind === "notes" && clip.phrase === phrase ? [{ track, clip }] : [])),
  );

/**
 * Writes a phrase's notes, in order; a phrase grows by whole beats to hold what stands beyond its end, and with it the
 * placements that showed it to its end.
 */
export function writeNotes(session: Session, phrase: Phrase, notes: readonly Note[]): readonly Edit[] {
  const end = notes.reduce((last, n) => Math.max(last, n.tick + n.ticks), 0);
  const ticks = end > phrase.ticks ? Math.ceil(end / BEAT) * BEAT : phrase.ticks;
  const grown =
    ticks > phrase.ticks
      ? placementsOf(session, phrase.id)
          .filter(({ clip }) => !clip.loop && clip.offset + clip.ticks === phrase.ticks)
          .map(({ track, clip }): Edit => ({
            do: "set",
            in: "clips",
            track: track.id,
            id: clip.id,
            patch: { ticks: ticks - clip.offset },
          }))
      : [];
  const { remove, add } = difference<"phrases">(phrase.notes, notes);
  return [
    ...(remove.length > 0 || add.length > 0
      ? [{ do: "replace", in: "phrases", id: phrase.id, remove, add } as const]
      : []),
    ...(ticks > phrase.ticks ? [{ do: "set", in: "phrases", id: phrase.id, patch: { ticks } } as const] : []),
    ...grown,
  ];
}

const BEAT = 960;

/** Gives one placement a phrase of its own, so that writing in it changes no other. */
export function ownPhrase(session: Session, track: Track, clip: NoteClip, newId: () => string): readonly Edit[] {
  const phrase = session.phrases.find((p) => p.id === clip.phrase);
  if (!phrase) return [];
  const id = newId();
  return [
    {
      do: "add",
      in: "phrases",
      item: { ...phrase, id, name: `${phrase.name.slice(0, 180)} copy`, notes: phrase.notes.map((n) => ({ ...n })) },
      index: session.phrases.length,
    },
    { do: "set", in: "clips", track: track.id, id: clip.id, patch: { phrase: id } },
  ];
}

/** An empty clip of notes on an instrument track, a bar or so long. */
export function emptyPhrase(
  session: Session,
  track: Track,
  start: number,
  ticks: number,
  newId: () => string,
): { readonly clip: string; readonly edits: readonly Edit[] } {
  const [phrase, clip] = [newId(), newId()];
  return {
    clip,
    edits: [
      {
        do: "add",
        in: "phrases",
        item: { id: phrase, name: `${track.name || "Phrase"} ${session.phrases.length + 1}`, ticks, notes: [] },
        index: session.phrases.length,
      },
      {
        do: "add",
        in: "clips",
        track: track.id,
        item: {
          kind: "notes",
          id: clip,
          name: track.name || "Notes",
          phrase,
          start,
          offset: 0,
          ticks,
          loop: false,
          muted: false,
        },
        index: track.clips.length,
      },
    ],
  };
}

/** Notes moved together in time and pitch, as far as all of them can go. */
export function moveNotes(notes: readonly Note[], ticks: number, semitones: number): readonly Note[] {
  const by = Math.max(ticks, -Math.min(Infinity, ...notes.map((n) => n.tick)));
  const up = Math.max(
    -Math.min(127, ...notes.map((n) => n.pitch)),
    Math.min(127 - Math.max(0, ...notes.map((n) => n.pitch)), semitones),
  );
  return notes.map((n) => ({ ...n, tick: n.tick + by, pitch: n.pitch + up }));
}

const NAMES = ["C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B"] as const;

/**
 * `C4` for 60: octaves are counted so that the A at 440 Hz is A4 (ISO 16:1975 names the pitch, scientific pitch
 * notation the octave).
 */
export const pitchName = (pitch: number): string => `${NAMES[pitch % 12] ?? ""}${Math.floor(pitch / 12) - 1}`;
