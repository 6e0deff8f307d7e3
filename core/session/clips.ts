import type { TempoMap } from "../time/tempo";
import type { Frames, Ticks } from "../units";
import type { AudioClip, Clip, Device, NoteClip, Phrase, PlacedClip, Session, Track } from "./document";

/** Where a clip lies on the timeline, in frames; `to` is the first frame after it. */
export const clipSpan = (clip: Clip, tempo: TempoMap): { readonly from: Frames; readonly to: Frames } =>
  clip.kind === "notes"
    ? { from: tempo.toFrames(clip.start), to: tempo.toFrames(clip.start + clip.ticks) }
    : { from: clip.start, to: clip.start + clip.frames };

/** The audio of an asset as a clip plays it, before it is cut to the clip's window. */
export interface Reshape {
  readonly asset: string;
  readonly reverse: boolean;
  readonly stretch: number;
  readonly transposeCents: number;
  readonly timeMarks: AudioClip["timeMarks"];
  readonly pitchLine: AudioClip["pitchLine"];
}

/**
 * How a clip reshapes its asset, or null when it plays it as it is (or backwards), which needs no audio of its own.
 */
export const reshapeOf = (clip: AudioClip): Reshape | null => {
  const { asset, reverse, stretch, transposeCents, timeMarks, pitchLine } = clip;
  return stretch === 1 && transposeCents === 0 && !isBent(clip)
    ? null
    : { asset, reverse, stretch, transposeCents, timeMarks, pitchLine };
};

/** Whether time or pitch moves inside of a clip. */
export const isBent = ({ timeMarks, pitchLine }: Pick<AudioClip, "timeMarks" | "pitchLine">): boolean =>
  timeMarks.length > 0 || pitchLine.length > 0;

/** Every audio clip on a list, those inside nests included. */
export function audioClips(clips: readonly Clip[]): readonly AudioClip[] {
  return clips.flatMap((clip): readonly AudioClip[] =>
    clip.kind === "audio" ? [clip] : clip.kind === "nest" ? audioClips(clip.children) : [],
  );
}

/** Every device of a track: on its path, and on its clips. */
export const devicesOf = (track: Track): readonly Device[] => [
  ...track.devices,
  ...audioClips(track.clips).flatMap((c) => c.process),
];

/** All reshaped audio that rendering a session may ask for, each once. */
export function reshapes(session: Session): readonly Reshape[] {
  const found = new Map<string, Reshape>();
  for (const track of session.tracks) {
    if (track.parked || track.frozen) continue;
    for (const clip of audioClips(track.clips)) {
      const reshape = reshapeOf(clip);
      if (reshape) found.set(reshapeKey(reshape), reshape);
    }
  }
  return [...found.values()];
}

/** Names a reshaped asset; two that are equal sound the same. */
export const reshapeKey = (reshape: Reshape): string => {
  const { asset, reverse, stretch, transposeCents } = reshape;
  const plain = `${asset}-${reverse ? "r" : "f"}-${stretch}-${transposeCents}`;
  return isBent(reshape) ? `${plain}-${bendKey(reshape)}` : plain;
};

/** What is bent inside of a clip, in short. */
export const bendKey = ({ timeMarks, pitchLine }: Pick<AudioClip, "timeMarks" | "pitchLine">): string =>
  `${timeMarks.map((m) => `${m.at}:${m.to}`).join()}-${pitchLine.map((p) => `${p.at}:${p.cents}`).join()}`;

/** A note as a clip places it, in ticks of the timeline, cut at the clip's end. */
export interface PlacedNote {
  readonly start: Ticks;
  readonly end: Ticks;
  readonly pitch: number;
  readonly velocity: number;
}

/**
 * The notes a clip plays of its phrase, round after round where it loops. Those that began before the clip's window are
 * not played.
 */
export function placedNotes(clip: NoteClip, phrase: Phrase): readonly PlacedNote[] {
  const notes: PlacedNote[] = [];
  const rounds = clip.loop ? Math.ceil((clip.offset + clip.ticks) / phrase.ticks) : 1;
  for (let round = clip.loop ? Math.floor(clip.offset / phrase.ticks) : 0; round < rounds; round++) {
    for (const { tick, ticks, pitch, velocity } of phrase.notes) {
      // Of a phrase that loops, what lies beyond its end is never reached.
      if (clip.loop && tick >= phrase.ticks) continue;
      const into = tick + round * phrase.ticks - clip.offset;
      if (into < 0 || into >= clip.ticks) continue;
      notes.push({ start: clip.start + into, end: clip.start + Math.min(into + ticks, clip.ticks), pitch, velocity });
    }
  }
  return notes;
}

export const isPlaced = (clip: Clip): clip is PlacedClip => clip.kind !== "notes";

/** Whether effects of a clip sound on behind its end, which takes one that is on. A nest ends with its content. */
export const isRinging = (clip: Clip): boolean =>
  clip.kind === "audio" && clip.ringsOn && clip.process.some((d) => d.on);
