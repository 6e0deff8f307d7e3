import { plainName } from "../session/import";
import type { MidiFile } from "../formats/midi/read";
import { midiTracks } from "../formats/midi/timeline";
import type { Timeline, TimelineMedia, TimelineTrack } from "../timeline/timeline";
import { NO_FADE, emptyTimeline, plainTrack } from "../timeline/timeline";
import type { MeterPoint } from "../time/meter";
import type { TempoPoint } from "../time/tempo";
import { tempoMap } from "../time/tempo";
import type { Bpm, Frames } from "../units";

/** What can be said of a file of sound before it is brought in. */
export interface ProbedFile {
  /** With the folders it was in. */
  readonly path: string;
  /** What it says it is called; null: nothing. */
  readonly title: string | null;
  readonly rate: number;
  readonly channels: number;
  readonly frames: Frames;
  readonly timeReference: Frames | null;
  readonly sha256: string | null;
  /** What it says of its tempo. */
  readonly bpm: Bpm | null;
}

/** Tempo and meter, and who said so. */
export interface KnownTempo {
  readonly tempo: readonly TempoPoint[];
  readonly meter: readonly MeterPoint[] | null;
  readonly from: "the session file" | "a MIDI file" | "the package's manifest" | "the files' own tags" | "a name";
}

/** Stamps from here on are of the day, not of a song. */
const DAY_STAMP_S = 15 * 60;
const DAY_S = 24 * 3600;

/**
 * Files of sound side by side as a timeline: each on a track of its own, at its stamp or at the beginning. Where the
 * stamps are of the day the earliest is the beginning. A file of more than two channels is a track a channel.
 */
export function filesTimeline(
  name: string,
  files: readonly ProbedFile[],
  midi: readonly { readonly path: string; readonly file: MidiFile }[],
  known: KnownTempo | null,
): Timeline {
  const rate = commonRate(files);
  const at = (frames: Frames, from: number): Frames => (from === rate ? frames : Math.round((frames * rate) / from));
  // A day has no later ones: such a stamp is a broken number.
  const stampOf = ({ timeReference, rate: of }: ProbedFile): Frames | null =>
    timeReference === null || timeReference < 0 || timeReference > DAY_S * of ? null : at(timeReference, of);
  const stamps = files.flatMap((f) => stampOf(f) ?? []);
  const earliest = stamps.reduce((least, s) => Math.min(least, s), Infinity);
  const isOfDay = stamps.length > 0 && earliest >= DAY_STAMP_S * rate;
  const media = files.map((f): TimelineMedia => ({
    id: f.path,
    name: nameOf(f),
    frames: f.frames,
    rate: f.rate,
    channels: f.channels,
    sha256: f.sha256,
    timeReference: f.timeReference,
    path: f.path,
  }));
  const tracks = files.flatMap((f, i): TimelineTrack[] => {
    const stamped = stampOf(f);
    const stamp = stamped === null ? 0 : stamped - (isOfDay ? earliest : 0);
    const frames = at(f.frames, f.rate);
    const wide = f.channels <= 2 ? [null] : Array.from({ length: f.channels }, (_, c) => c);
    return wide.map((channel) => {
      const called = channel === null ? nameOf(f) : `${nameOf(f)} ${channel + 1}`;
      const clip = {
        name: called,
        media: f.path,
        channel,
        start: stamp,
        frames,
        offset: 0,
        gainDb: 0,
        fadeIn: NO_FADE,
        fadeOut: NO_FADE,
        crossfade: false,
      };
      return plainTrack({
        id: `file-${i}-${channel ?? ""}`,
        name: called,
        kind: "audio",
        channels: f.channels === 1 || channel !== null ? 1 : 2,
        clips: frames > 0 ? [clip] : [],
      });
    });
  });
  const map = tempoMap(known?.tempo ?? [{ tick: 0, bpm: 120, shape: "hold" }], rate);
  const scores = midi.flatMap(({ path, file }, i) => midiTracks(file, plainName(path), `score-${i}-`, map));
  const marked = midi.find(({ file }) => file.markers.length > 0)?.file.markers ?? [];
  return {
    ...emptyTimeline(name, rate),
    startFrames: isOfDay ? earliest : 0,
    tempo: known?.tempo ?? null,
    meter: known?.meter ?? null,
    markers: marked.map((m) => ({ name: m.name, frame: map.toFrames(m.tick) })),
    media,
    tracks: [...tracks, ...scores],
  };
}

const nameOf = (file: ProbedFile): string => file.title ?? (plainName(file.path) || "Audio");

function commonRate(files: readonly ProbedFile[]): number {
  const counts = new Map<number, number>();
  for (const f of files) counts.set(f.rate, (counts.get(f.rate) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1] || b[0] - a[0])[0]?.[0] ?? 48000;
}

/** A tempo in a name: `Song 120 bpm`, `song_97.5bpm`. Null where there is none, or it is none. */
export function bpmInName(path: string): Bpm | null {
  const [, text] = /(?:^|[^0-9.])(\d{2,3}(?:[.,]\d{1,3})?)[ _-]?bpm/i.exec(path) ?? [];
  if (text === undefined) return null;
  const bpm = Number(text.replace(",", "."));
  return bpm >= 20 && bpm <= 400 ? bpm : null;
}

/** The tempo that files or their names tell, where they agree. */
export function tempoOfFiles(files: readonly ProbedFile[]): KnownTempo | null {
  const steady = (bpm: Bpm): readonly TempoPoint[] => [{ tick: 0, bpm, shape: "hold" }];
  const tagged = new Set(files.flatMap((f) => f.bpm ?? []));
  const [tag] = tagged;
  if (tagged.size === 1 && tag !== undefined) return { tempo: steady(tag), meter: null, from: "the files' own tags" };
  const named = new Set(files.flatMap((f) => bpmInName(f.path) ?? []));
  const [bpm] = named;
  return named.size === 1 && bpm !== undefined ? { tempo: steady(bpm), meter: null, from: "a name" } : null;
}
