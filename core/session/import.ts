import type { MidiPoint } from "../formats/midi/controllers";
import type { MidiFile } from "../formats/midi/read";
import { tempoMap } from "../time/tempo";
import type { Frames, Ticks } from "../units";
import { makeAudioClip, makeDevice, makeLane, makeNoteClip, makeTrack } from "./build";
import type { Asset, Session, Track } from "./document";
import type { Edit, Step } from "./edits";
import { mixOf } from "./routing";

/** Where files are put: where their own time stamps say (those without one, at `frame`), or all at `frame`. */
export interface Placing {
  readonly by: "time reference" | "frame";
  readonly frame: Frames;
  /** The track that the first file goes to, if audio can be put there; all others get tracks of their own below. */
  readonly track: string | null;
}

/** A file whose audio is in the store at the session's rate. */
export interface BroughtIn {
  readonly asset: Asset;
  readonly timeReference: Frames | null;
}

/** A file's name without folders and ending. */
export const plainName = (file: string): string =>
  file
    .replace(/^.*[/\\]/, "")
    .replace(/\.[A-Za-z0-9]{1,5}$/, "")
    .trim()
    .slice(0, 120);

/**
 * Puts audio on the timeline: one clip a file, on the track that was asked for or on new ones named after the files.
 */
export function importStep(session: Session, files: readonly BroughtIn[], place: Placing, newId: () => string): Step {
  const edits: Edit[] = [];
  const known = new Set(session.assets.map((a) => a.id));
  const target = session.tracks.find((t) => t.id === place.track);
  let index =
    target && target.kind !== "mix" ? session.tracks.indexOf(target) + 1 : session.tracks.indexOf(mixOf(session));
  files.forEach(({ asset, timeReference }, i) => {
    if (!known.has(asset.id)) {
      edits.push({ do: "add", in: "assets", item: { ...asset }, index: known.size });
      known.add(asset.id);
    }
    if (asset.frames === 0) return;
    const start = place.by === "time reference" ? (timeReference ?? place.frame) : place.frame;
    const clip = makeAudioClip({ id: newId(), name: asset.name, asset: asset.id, start, frames: asset.frames });
    if (i === 0 && target && takesAudio(target)) {
      edits.push({ do: "add", in: "clips", track: target.id, item: { ...clip }, index: target.clips.length });
      return;
    }
    const track = makeTrack({
      id: newId(),
      name: asset.name,
      kind: "audio",
      output: target?.output ?? mixOf(session).id,
      clips: [clip],
    });
    edits.push({ do: "add", in: "tracks", item: { ...track }, index: index++ });
  });
  return {
    label: files.length === 1 ? `Import ${files[0]?.asset.name ?? "a file"}` : `Import ${files.length} files`,
    edits,
  };
}

const laterBy = (start: Ticks, points: readonly MidiPoint[]): readonly MidiPoint[] =>
  points.map(({ tick, value }) => ({ tick: start + tick, value }));

/** A lane that moves in steps, from a tick of the timeline on; none where nothing moves. */
const laneOf = (target: "fader" | "pan", points: readonly MidiPoint[], start: Ticks, newId: () => string) =>
  points.length === 0
    ? []
    : [
        makeLane(
          newId(),
          target,
          laterBy(start, points).map((p) => ({ ...p, shape: "hold" as const })),
        ),
      ];

/** Whether a clip of audio can be put on a track as it is. */
export const takesAudio = (track: Track): boolean => track.kind === "audio" && track.frozen === null && !track.parked;

/**
 * Puts the parts of a MIDI file on instrument tracks of their own, a phrase and its one placement each, from a frame
 * on. With `withTime` the session takes the file's tempo and meter, which moves everything that is placed in bars.
 */
export function midiStep(
  session: Session,
  file: MidiFile,
  name: string,
  frame: Frames,
  withTime: boolean,
  newId: () => string,
): Step {
  const edits: Edit[] = [];
  const start = Math.round(tempoMap(session.tempo, session.rate).toTicks(frame));
  if (withTime && (file.tempo || file.meter))
    edits.push({
      do: "set session",
      patch: { ...(file.tempo ? { tempo: file.tempo } : {}), ...(file.meter ? { meter: file.meter } : {}) },
    });
  let index = session.tracks.indexOf(mixOf(session));
  let phrases = session.phrases.length;
  for (const part of file.parts) {
    const called = (part.name === "MIDI" ? name : part.name) || "MIDI";
    const end = part.notes.reduce((last, n) => Math.max(last, n.tick + n.ticks), 1);
    // A phrase is as long as its whole beats, so that a copy behind it falls on a beat.
    const phrase = {
      id: newId(),
      name: called,
      ticks: Math.ceil(end / BEAT) * BEAT,
      notes: part.notes.map((n) => ({ ...n })),
    };
    edits.push({ do: "add", in: "phrases", item: phrase, index: phrases++ });
    const track = makeTrack({
      id: newId(),
      name: called,
      kind: "instrument",
      program: part.program && {
        ...part.program,
        bends: laterBy(start, part.settings.bends),
        wheel: laterBy(start, part.settings.wheel),
        device: null,
      },
      ...{ faderDb: part.settings.faderDb, pan: part.settings.pan },
      automation: [
        ...laneOf("fader", part.settings.fades, start, newId),
        ...laneOf("pan", part.settings.pans, start, newId),
      ],
      output: mixOf(session).id,
      devices: [makeDevice(newId(), "synth")],
      clips: [makeNoteClip(newId(), phrase, start)],
    });
    edits.push({ do: "add", in: "tracks", item: { ...track }, index: index++ });
  }
  return { label: `Import ${name}`, edits };
}

const BEAT = 960;
