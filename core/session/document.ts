import { z } from "zod";
import { RATES } from "../units";

/** The version this code reads and writes; older documents pass through `migrate`. */
export const SESSION_VERSION = 1;

const id = z.string().regex(/^[A-Za-z0-9_-]{1,64}$/, "an id is 1 to 64 letters, digits, - or _");
const name = z.string().max(200);
/** 2^40: months of audio, and far from where doubles lose whole numbers. */
const LONGEST = 1099511627776;
const frames = z.int().min(0).max(LONGEST);
const ticks = z.int().min(0).max(LONGEST);
const gainDb = z.number().min(-144).max(24);
const hash = z.string().regex(/^[0-9a-f]{64}$/, "an audio hash is 64 hexadecimal digits");

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
  shape: z.enum(["linear", "equal power", "S"]),
});

/** A window on an audio asset, placed in frames. Order of edits: source, gain, fades. */
export const audioClipSchema = z.strictObject({
  kind: z.literal("audio"),
  id,
  name,
  asset: hash,
  start: frames,
  /** First frame of the asset that sounds. */
  offset: frames,
  frames: frames.min(1),
  gainDb,
  fadeIn: fadeSchema,
  fadeOut: fadeSchema,
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
});

export const clipSchema = z.discriminatedUnion("kind", [audioClipSchema, noteClipSchema]);

export const noteSchema = z.strictObject({
  tick: ticks,
  ticks: ticks.min(1),
  /** Semitones, 69 is the A at 440 Hz. */
  pitch: z.int().min(0).max(127),
  velocity: z.int().min(1).max(127),
});

export const phraseSchema = z.strictObject({ id, name, ticks: ticks.min(1), notes: z.array(noteSchema).max(100000) });

export const deviceSchema = z.strictObject({
  id,
  /** A type of the catalogue; any other is an absent device, kept as it is. */
  type: z.string().min(1).max(120),
  on: z.boolean(),
  params: z.record(z.string().max(80), z.number()),
  /** The track whose signal steers this device, if it takes a key. */
  key: id.nullable(),
});

export const sendSchema = z.strictObject({
  id,
  to: id,
  gainDb,
  position: z.enum(["before fader", "after fader"]),
});

export const automationPointSchema = z.strictObject({
  tick: ticks,
  value: z.number(),
  /** How the value moves from here to the next point. */
  shape: z.enum(["hold", "linear"]),
});

export const automationSchema = z.strictObject({
  id,
  target: z.enum(["fader", "pan"]),
  points: z.array(automationPointSchema).min(1).max(100000),
});

export const frozenSchema = z.strictObject({
  asset: hash,
  /** Fingerprint of the live source when it was rendered. */
  fingerprint: hash,
});

export const trackSchema = z.strictObject({
  id,
  name,
  kind: z.enum(["audio", "instrument", "group", "return", "mix"]),
  /** A group or the mix; null only for the mix itself. */
  output: id.nullable(),
  clips: z.array(clipSchema).max(20000),
  /** In signal order; an instrument track's first device is its instrument. */
  devices: z.array(deviceSchema).max(64),
  sends: z.array(sendSchema).max(32),
  automation: z.array(automationSchema).max(64),
  faderDb: gainDb,
  /** -1 left, 0 centre, 1 right. */
  pan: z.number().min(-1).max(1),
  mute: z.boolean(),
  /** A parked track rests: computes nothing, keeps everything. */
  parked: z.boolean(),
  frozen: frozenSchema.nullable(),
});

export const assetSchema = z.strictObject({
  /** SHA-256 of the stored file. */
  id: hash,
  name,
  frames,
  rate: z.int().min(1000).max(768000),
  channels: z.int().min(1).max(2),
  origin: z.enum(["imported", "printed", "generated"]),
});

export const stemRowSchema = z.strictObject({
  id,
  name: z.string().min(1).max(120),
  sources: z.array(id).min(1).max(500),
  /** `group`: through every group on the way to the mix; `channel`: up to the track's own mute. */
  tap: z.enum(["channel", "group"]),
  /** With returns, what the sends produce is in this stem. */
  returns: z.boolean(),
});

export const sheetSchema = z.strictObject({
  rows: z.array(stemRowSchema).max(500),
  /** From tick to tick; null is the session's zero, or the last sound. */
  from: ticks.nullable(),
  to: ticks.nullable(),
  tail: z.enum(["measured", "none"]),
  rate: z.union([z.literal(44100), z.literal(48000), z.literal(88200), z.literal(96000)]).nullable(),
  depth: z.enum(["16", "24", "32f"]),
  dither: z.boolean(),
});

export const sessionSchema = z.strictObject({
  version: z.literal(SESSION_VERSION),
  name: z.string().min(1).max(200),
  rate: z.union([z.literal(RATES[0]), z.literal(RATES[1]), z.literal(RATES[2]), z.literal(RATES[3])]),
  tempo: z.array(tempoPointSchema).min(1).max(10000),
  meter: z.array(meterPointSchema).min(1).max(10000),
  tracks: z.array(trackSchema).min(1).max(1000),
  phrases: z.array(phraseSchema).max(10000),
  assets: z.array(assetSchema).max(20000),
  sheet: sheetSchema,
});

type Frozen<T> = T extends (infer U)[] ? readonly Frozen<U>[] : T extends object ? { readonly [K in keyof T]: Frozen<T[K]> } : T;

export type Session = Frozen<z.infer<typeof sessionSchema>>;
export type Track = Frozen<z.infer<typeof trackSchema>>;
export type Clip = Frozen<z.infer<typeof clipSchema>>;
export type AudioClip = Frozen<z.infer<typeof audioClipSchema>>;
export type NoteClip = Frozen<z.infer<typeof noteClipSchema>>;
export type Fade = Frozen<z.infer<typeof fadeSchema>>;
export type Note = Frozen<z.infer<typeof noteSchema>>;
export type Phrase = Frozen<z.infer<typeof phraseSchema>>;
export type Device = Frozen<z.infer<typeof deviceSchema>>;
export type Send = Frozen<z.infer<typeof sendSchema>>;
export type Automation = Frozen<z.infer<typeof automationSchema>>;
export type Asset = Frozen<z.infer<typeof assetSchema>>;
export type StemRow = Frozen<z.infer<typeof stemRowSchema>>;
export type Sheet = Frozen<z.infer<typeof sheetSchema>>;
export type Depth = Sheet["depth"];
