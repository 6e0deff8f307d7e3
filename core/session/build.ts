import type {
  Sheet,
  AudioClip,
  Automation,
  Device,
  NestClip,
  NoteClip,
  Phrase,
  Send,
  Session,
  Track,
} from "./document";
import { PLAIN_FILE_NAME, PLAIN_FOLDER_NAME } from "./plain-names";
import { SESSION_VERSION } from "./version";

/** Shorthand for documents made by code: what is not said takes its plain value. */
export const makeTrack = (track: Pick<Track, "id" | "name" | "kind"> & Partial<Track>): Track => ({
  output: track.kind === "mix" ? null : "mix",
  clips: [],
  takes: [],
  devices: [],
  sends: [],
  automation: [],
  faderDb: 0,
  pan: 0,
  mute: false,
  parked: false,
  hidden: false,
  frozen: null,
  printOf: null,
  program: null,
  ...track,
});

export const makeDevice = (
  id: string,
  type: string,
  params: Device["params"] = {},
  key: string | null = null,
  layers: Device["layers"] = [],
): Device => ({ id, type, on: true, params, key, layers, instrument: null });

export const makeLane = (
  id: string,
  target: Automation["target"],
  points: readonly (Pick<Automation["points"][number], "tick" | "value"> & Partial<Automation["points"][number]>)[],
  of: string | null = null,
  param: string | null = null,
): Automation => ({
  id,
  target,
  of,
  param,
  points: points.map((p) => ({ shape: "linear", bend: 0, ...p })),
});

export const makeSend = (id: string, to: string, gainDb: number, position: Send["position"] = "after fader"): Send => ({
  id,
  to,
  gainDb,
  position,
});

const noFade = { frames: 0, shape: "linear" } as const;

export const makeAudioClip = (
  clip: Pick<AudioClip, "id" | "asset" | "start" | "frames"> & Partial<AudioClip>,
): AudioClip => ({
  kind: "audio",
  name: clip.id,
  offset: 0,
  gainDb: 0,
  fadeIn: noFade,
  fadeOut: noFade,
  crossfade: false,
  layered: false,
  muted: false,
  reverse: false,
  stretch: 1,
  transposeCents: 0,
  timeMarks: [],
  pitchLine: [],
  process: [],
  ringsOn: false,
  ...clip,
});

export const makeNest = (
  clip: Pick<NestClip, "id" | "start" | "frames" | "children"> & Partial<NestClip>,
): NestClip => ({
  kind: "nest",
  name: clip.id,
  offset: 0,
  gainDb: 0,
  fadeIn: noFade,
  fadeOut: noFade,
  crossfade: false,
  layered: false,
  muted: false,
  ...clip,
});

export const makeNoteClip = (id: string, phrase: Phrase, start: number, ticks = phrase.ticks): NoteClip => ({
  kind: "notes",
  id,
  name: phrase.name,
  phrase: phrase.id,
  start,
  offset: 0,
  ticks,
  loop: ticks > phrase.ticks,
  muted: false,
});

export const emptySheet: Sheet = {
  rows: [],
  from: null,
  to: null,
  tail: "measured",
  rate: null,
  depth: "24",
  dither: true,
  tailSeconds: 2,
  tailBeats: 4,
  ends: "equal",
  leadInBars: 0,
  format: "wav",
  mixes: ["after its chain"],
  mixFormat: "as the stems",
  folderName: PLAIN_FOLDER_NAME,
  fileName: PLAIN_FILE_NAME,
  key: "",
  version: "1",
  notes: "",
  receiver: "",
  arrived: null,
  sessionFiles: [],
};

export const makeSession = (session: Partial<Session> & Pick<Session, "tracks">): Session => ({
  version: SESSION_VERSION,
  name: "Untitled",
  rate: 48000,
  leadIn: 0,
  tempo: [{ tick: 0, bpm: 120, shape: "hold" }],
  meter: [{ bar: 1, numerator: 4, denominator: 4 }],
  markers: [],
  ranges: [],
  phrases: [],
  assets: [],
  instruments: [],
  sheet: emptySheet,
  ...session,
});
