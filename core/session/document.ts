import { z } from "zod";
import { isAbsolutePath } from "../formats/paths/url";
import { RATES } from "../units";
import { instrumentSchema } from "../instruments/instrument-schema";
import { askedProgramSchema } from "./asked-program";
import { frames, gainDb, hash, id, name, ticks } from "./fields";
import { MOST_OF } from "./limits";
import { PLAIN_FILE_NAME, PLAIN_FOLDER_NAME } from "./plain-names";
import { SESSION_VERSION } from "./version";

export const tempoPointSchema = z.strictObject({
  tick: ticks,
  bpm: z.number().min(10).max(500),
  shape: z.enum(["hold", "ramp"]),
});

export const meterPointSchema = z.strictObject({
  bar: z.int().min(1).max(100000),
  numerator: z.int().min(1).max(64),
  denominator: z.union([z.literal(1), z.literal(2), z.literal(4), z.literal(8), z.literal(16), z.literal(32)]),
});

const fadeSchema = z.strictObject({
  frames,
  shape: z.enum(["linear", "equal power", "S", "slow", "quick"]),
});

/** A piece of audio that a device plays or convolves with. */
export const layerSchema = z.strictObject({
  id,
  /** Pad of a kit, from 0; 0 for devices that hold one sound. */
  pad: z.int().min(0).max(63),
  asset: hash,
  gainDb,
  cents: z.number().min(-4800).max(4800),
  /** Velocities that play the layer, both included. */
  softest: z.int().min(1).max(127),
  loudest: z.int().min(1).max(127),
});

/** A device at work: an instrument, or an effect on a path or on a clip. */
export const deviceSchema = z.strictObject({
  id,
  /** A type of the catalogue; any other is an absent device, kept as it is. */
  type: z.string().min(1).max(120),
  on: z.boolean(),
  params: z.record(z.string().max(80), z.number()),
  /** The track whose signal steers this device, if it takes a key. */
  key: id.nullable(),
  /** Audio the device plays or convolves with, if it holds any. */
  layers: z.array(layerSchema).max(256).default([]),
  /** The session's instrument that the device plays, if it plays one. */
  instrument: id.nullable().default(null),
});

/** It stays where it is and is not heard; what lies under it is. */
const muted = z.boolean().default(false);

/** What clips placed in frames have in common. */
const placed = {
  id,
  name,
  start: frames,
  frames: frames.min(1),
  gainDb,
  fadeIn: fadeSchema,
  fadeOut: fadeSchema,
  /** While this clip fades in, the clip it overlaps sounds on and their fades add; otherwise this clip cuts it off. */
  crossfade: z.boolean().default(false),
  /** What lies under this clip sounds on, and both are heard: for pieces whose tails ring into each other. */
  layered: z.boolean().default(false),
  muted,
};

/** A window on an audio asset. Order of edits: source, reverse, stretch and transpose, process, gain, fades. */
export const audioClipSchema = z.strictObject({
  kind: z.literal("audio"),
  ...placed,
  asset: hash,
  /** First frame that sounds, counted in the asset as reversed and stretched. */
  offset: frames,
  reverse: z.boolean().default(false),
  /** Length over the asset's own: 2 is twice as long. */
  stretch: z.number().min(0.25).max(4).default(1),
  transposeCents: z.number().min(-2400).max(2400).default(0),
  /** Places of the asset, as reversed, that are held at places of the stretched audio: between two, time is even. */
  timeMarks: z
    .array(z.strictObject({ at: frames, to: frames }))
    .max(1000)
    .default([]),
  /** Cents over the asset, as reversed, that are added to the transposition: straight between points. */
  pitchLine: z
    .array(z.strictObject({ at: frames, cents: z.number().min(-2400).max(2400) }))
    .max(1000)
    .default([]),
  /** Effects on this clip alone, ending with it unless they ring on. */
  process: z.array(deviceSchema).max(8).default([]),
  /** What rings in the effects sounds on behind the clip's end; then the clip fades in front of them. */
  ringsOn: z.boolean().default(false),
});

interface NestShape extends z.infer<z.ZodObject<typeof placed>> {
  kind: "nest";
  offset: number;
  children: (z.infer<typeof audioClipSchema> | NestShape)[];
}

const childSchema: z.ZodType<z.infer<typeof audioClipSchema> | NestShape> = z.lazy(() =>
  z.union([audioClipSchema, nestClipSchema]),
);

/** A clip that plays its children, whose starts count from the nest's own zero. */
export const nestClipSchema = z.strictObject({
  kind: z.literal("nest"),
  ...placed,
  /** First frame of the nest's own time that sounds. */
  offset: frames,
  children: z.array(childSchema).max(2000),
});

/** A window on a phrase, placed in ticks. */
export const noteClipSchema = z.strictObject({
  kind: z.literal("notes"),
  id,
  name,
  phrase: id,
  start: ticks,
  /** First tick of the phrase that plays. */
  offset: ticks,
  ticks: ticks.min(1),
  /** Plays the phrase over and over while the clip lasts. */
  loop: z.boolean().default(false),
  muted,
});

export const clipSchema = z.discriminatedUnion("kind", [audioClipSchema, noteClipSchema, nestClipSchema]);

/** Clips that are kept and do not sound. */
export const takeSchema = z.strictObject({ id, name, clips: z.array(clipSchema).max(MOST_OF.clips) });

export const noteSchema = z.strictObject({
  tick: ticks,
  ticks: ticks.min(1),
  /** Semitones, 69 is the A at 440 Hz. */
  pitch: z.int().min(0).max(127),
  velocity: z.int().min(1).max(127),
});

export const phraseSchema = z.strictObject({ id, name, ticks: ticks.min(1), notes: z.array(noteSchema).max(100000) });

export const sendSchema = z.strictObject({
  id,
  to: id,
  gainDb,
  position: z.enum(["before fader", "after fader"]),
});

export const automationPointSchema = z.strictObject({
  tick: ticks,
  /** In the target's unit; a mute is open below 0.5. */
  value: z.number(),
  /** How the value moves from here to the next point, in the travel of the target's control. */
  shape: z.enum(["hold", "linear", "curved"]),
  /** Of a curve: below 0 it moves early, above 0 late, at 0 evenly. */
  bend: z.number().min(-1).max(1).default(0),
});

export const automationSchema = z.strictObject({
  id,
  target: z.enum(["fader", "pan", "mute", "send", "param"]),
  /** The send, or the device whose parameter moves. */
  of: id.nullable().default(null),
  param: z.string().max(80).nullable().default(null),
  points: z.array(automationPointSchema).min(1).max(100000),
});

export const frozenSchema = z.strictObject({
  asset: hash,
  /** Fingerprint of the live source when it was rendered. */
  fingerprint: hash,
});

/**
 * Whose print a track plays, whole and after its devices: while it is as it was placed, and its source as it was, it
 * sounds as that does.
 */
export const printOfSchema = z.strictObject({
  track: id,
  /** Of the live source when it was rendered. */
  fingerprint: hash,
  /** Where the print was placed. */
  start: frames,
});

export const trackSchema = z.strictObject({
  id,
  name,
  kind: z.enum(["audio", "instrument", "group", "return", "mix"]),
  /** A group or the mix; null only for the mix itself. */
  output: id.nullable(),
  clips: z.array(clipSchema).max(MOST_OF.clips),
  takes: z.array(takeSchema).max(MOST_OF.takes).default([]),
  /** In signal order; an instrument track's first device is its instrument. */
  devices: z.array(deviceSchema).max(MOST_OF.devices),
  sends: z.array(sendSchema).max(MOST_OF.sends),
  automation: z.array(automationSchema).max(MOST_OF.automation),
  faderDb: gainDb,
  /** -1 left, 0 centre, 1 right. */
  pan: z.number().min(-1).max(1),
  mute: z.boolean(),
  /** A parked track rests: computes nothing, keeps everything. */
  parked: z.boolean(),
  /** Not shown among the rows until hidden tracks are asked for; sounds, or not, all the same. */
  hidden: z.boolean().default(false),
  frozen: frozenSchema.nullable(),
  printOf: printOfSchema.nullable().default(null),
  /** What its notes asked for where they came from. */
  program: askedProgramSchema.nullable().default(null),
});

export const assetSchema = z.strictObject({
  /** SHA-256 of the stored file. */
  id: hash,
  name,
  frames,
  rate: z.int().min(1000).max(768000),
  channels: z.int().min(1).max(2),
  /** `sample`: a recording of an instrument. `missing`: silence in the place of a file that was not there. */
  origin: z.enum(["imported", "printed", "generated", "missing", "sample"]),
});

export const stemRowSchema = z.strictObject({
  id,
  name: z.string().min(1).max(120),
  sources: z.array(id).min(1).max(500),
  /** Where on the sources' way it is taken; see `Tap`. */
  tap: z.enum(["clip", "devices", "channel", "group", "mix"]),
  /** With returns, what the sends produce is in this stem. */
  returns: z.boolean(),
  /**
   * Dynamics on groups and returns apply to this stem the gain they find for the whole, so that the stems still add up.
   */
  linked: z.boolean().default(false),
  /** `as it is`: one channel where both are the same. `two mono`: two files, the left and the right. */
  channels: z.enum(["as it is", "mono", "stereo", "two mono"]).default("as it is"),
  /** Whether it is exported; a row that is not stays on the sheet. */
  ticked: z.boolean().default(true),
});

/** A part of a file's or a folder's name: something that is known of it, or words. */
export const chipSchema = z.strictObject({
  kind: z.enum(["number", "song", "stem", "tempo", "key", "meter", "rate", "depth", "version", "date", "text"]),
  text: z.string().max(60).default(""),
});

/** A place on the timeline with a name. */
export const markerSchema = z.strictObject({ id, name, tick: ticks });

/** A stretch of the timeline with a name, to be played, printed or delivered again. */
export const rangeSchema = z.strictObject({ id, name, from: ticks, to: ticks });

/** A session file that goes into the package, and how the session is told in it; see `core/interchange`. */
export const sessionFileSchema = z.strictObject({
  kind: z.enum(["aaf", "adl", "otio", "dawproject", "midi", "bundle"]),
  /** What is printed first, beside what the file cannot hold. */
  print: z.enum(["nothing", "devices", "channels", "both"]).default("devices"),
  printDepth: z.enum(["24", "32f"]).default("24"),
  curvedFades: z.enum(["printed", "straight"]).default("printed"),
  mutedTracks: z.enum(["left out", "sounding"]).default("left out"),
  stereo: z.enum(["one file", "two mono"]).default("one file"),
  /** Whether the audio is in the file itself or in a folder beside it. */
  audio: z.enum(["inside", "beside"]).default("inside"),
  /** Absolute path of the folder in which the receiver will keep the session file; empty: it is not known. */
  folder: z
    .string()
    .max(500)
    .refine((path) => path === "" || isAbsolutePath(path), "begins with /, a drive's letter or \\\\server")
    .default(""),
  media: z.enum(["whole files", "what is played"]).default("whole files"),
  handleSeconds: z.number().min(0).max(60).default(2),
  frameRate: z.enum(["24", "25", "29.97", "29.97 drop", "30"]).default("25"),
  /** Where the timeline's zero stands in the day, in frames of picture. */
  startPictureFrames: z
    .int()
    .min(0)
    .max(24 * 3600 * 30)
    .default(0),
});

export const sheetSchema = z.strictObject({
  rows: z.array(stemRowSchema).max(MOST_OF.rows),
  /** From tick to tick; null is the session's zero, or the last sound. */
  from: ticks.nullable(),
  to: ticks.nullable(),
  /** `measured`: until every file is quiet; `fixed`: `tailSeconds`; `beats`: `tailBeats` quarters from the end on. */
  tail: z.enum(["measured", "fixed", "beats", "none"]),
  tailSeconds: z.number().min(0).max(600).default(2),
  tailBeats: z.number().min(0).max(4096).default(4),
  /** `trimmed`: every file ends with its own last sound; they still begin together. */
  ends: z.enum(["equal", "trimmed"]).default("equal"),
  /** Silent bars in front of every file. */
  leadInBars: z.int().min(0).max(16).default(0),
  rate: z.union([z.literal(44100), z.literal(48000), z.literal(88200), z.literal(96000)]).nullable(),
  depth: z.enum(["16", "24", "32f"]),
  dither: z.boolean(),
  format: z.enum(["wav", "aiff", "flac"]).default("wav"),
  /** The whole mix beside the stems, from the same pass. */
  mixes: z
    .array(z.enum(["after its chain", "before its chain"]))
    .max(2)
    .default(["after its chain"]),
  mixFormat: z.enum(["as the stems", "mp3"]).default("as the stems"),
  folderName: z.array(chipSchema).max(12).default(PLAIN_FOLDER_NAME),
  fileName: z.array(chipSchema).max(12).default(PLAIN_FILE_NAME),
  /** What chips of these kinds say. */
  key: z.string().max(20).default(""),
  version: z.string().max(20).default("1"),
  /**
   * Of a sheet that came with a set of stems: what the tracks were then, as a hash. While they are the same, the files
   * go on as they came; null: the sheet is the session's own.
   */
  arrived: z.string().max(64).nullable().default(null),
  /** Notes for the receiver; on the package's sheet. */
  notes: z.string().max(10000).default(""),
  /** Whom the sheet was last filled for: a profile's name. */
  receiver: z.string().max(120).default(""),
  /** Beside the stems; one of a kind. */
  sessionFiles: z.array(sessionFileSchema).max(6).default([]),
});

export const sessionSchema = z.strictObject({
  version: z.literal(SESSION_VERSION),
  name: z.string().min(1).max(200),
  rate: z.union([z.literal(RATES[0]), z.literal(RATES[1]), z.literal(RATES[2]), z.literal(RATES[3])]),
  /** Ticks on the timeline before bar 1. */
  leadIn: ticks.max(1000000).default(0),
  tempo: z.array(tempoPointSchema).min(1).max(10000),
  meter: z.array(meterPointSchema).min(1).max(10000),
  markers: z.array(markerSchema).max(MOST_OF.markers).default([]),
  ranges: z.array(rangeSchema).max(MOST_OF.ranges).default([]),
  tracks: z.array(trackSchema).min(1).max(MOST_OF.tracks),
  phrases: z.array(phraseSchema).max(MOST_OF.phrases),
  assets: z.array(assetSchema).max(MOST_OF.assets),
  /** Instruments of recordings, which are among the assets. */
  instruments: z.array(instrumentSchema).max(MOST_OF.instruments).default([]),
  sheet: sheetSchema,
});

export type Frozen<T> = T extends (infer U)[]
  ? readonly Frozen<U>[]
  : T extends object
    ? { readonly [K in keyof T]: Frozen<T[K]> }
    : T;

export type Session = Frozen<z.infer<typeof sessionSchema>>;
export type Track = Frozen<z.infer<typeof trackSchema>>;
export type Clip = Frozen<z.infer<typeof clipSchema>>;
export type AudioClip = Frozen<z.infer<typeof audioClipSchema>>;
export type NestClip = Frozen<z.infer<typeof nestClipSchema>>;
/** A clip placed in frames. */
export type PlacedClip = AudioClip | NestClip;
export type NoteClip = Frozen<z.infer<typeof noteClipSchema>>;
export type Fade = Frozen<z.infer<typeof fadeSchema>>;
export type Note = Frozen<z.infer<typeof noteSchema>>;
export type Phrase = Frozen<z.infer<typeof phraseSchema>>;
export type Layer = Frozen<z.infer<typeof layerSchema>>;
export type Device = Frozen<z.infer<typeof deviceSchema>>;
export type Send = Frozen<z.infer<typeof sendSchema>>;
export type Automation = Frozen<z.infer<typeof automationSchema>>;
export type Asset = Frozen<z.infer<typeof assetSchema>>;
export type Chip = Frozen<z.infer<typeof chipSchema>>;
export type StemRow = Frozen<z.infer<typeof stemRowSchema>>;
export type SessionFile = Frozen<z.infer<typeof sessionFileSchema>>;
export type Sheet = Frozen<z.infer<typeof sheetSchema>>;
