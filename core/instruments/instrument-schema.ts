import { z } from "zod";
import { MODULATED } from "./modulated";

const seconds = z.number().min(0).max(200);
const key = z.int().min(0).max(127);
const cents = z.number().min(-24_000).max(24_000);
const frames = z.int().min(0).max(1_099_511_627_776);
/** Keys or velocities between which a zone fades: it begins at `0`, is whole from `1` to `2`, and gone at `3`. */
const fade = z.tuple([z.number(), z.number(), z.number(), z.number()]);

/** What a modulator listens to. Controllers are those of MIDI by their number; `none` is always 1. */
const sourceSchema = z.strictObject({
  from: z.union([z.enum(["none", "velocity", "key", "bend", "pressure"]), z.int().min(0).max(127)]),
  /** SoundFont 2.04, 8.2: how a position from 0 to 1 is bent. */
  curve: z.enum(["linear", "concave", "convex", "switch"]),
  /** From 1 down to 0, and from -1 to 1. */
  falls: z.boolean(),
  bipolar: z.boolean(),
});

export const modulatorSchema = z.strictObject({
  source: sourceSchema,
  /** What it is multiplied by. */
  by: sourceSchema,
  to: z.enum(MODULATED),
  amount: z.number(),
  absolute: z.boolean().default(false),
});

const envelope = {
  delayS: seconds,
  attackS: seconds,
  holdS: seconds,
  /** Until it would have fallen all the way: of a volume by 100 dB. */
  decayS: seconds,
  releaseS: seconds,
  /** Hold and decay become longer towards low keys: cents of time a key, from key 60 on. */
  holdKeyCents: cents,
  decayKeyCents: cents,
};

const zoneFields = {
  lowKey: key,
  highKey: key,
  softest: z.int().min(0).max(127),
  loudest: z.int().min(0).max(127),
  /** It plays on this one of `turns` turns of its note: the first is 0. */
  turn: z.int().min(0).max(99),
  turns: z.int().min(1).max(100),
  /** It plays where chance lies in here: 0 to 1, the end not included. */
  chanceFrom: z.number().min(0).max(1),
  chanceTo: z.number().min(0).max(1),
  /** When it begins: with a note, or when that is let go. */
  plays: z.enum(["attack", "release"]),
  /** It plays to its end, whenever its note is let go. */
  playsToEnd: z.boolean(),
  /** Key at which the recording is as it was recorded, and what each key adds. */
  rootKey: z.number().min(-60).max(188),
  keyCents: z.number().min(-1200).max(1200),
  cents,
  /** Frames of the recording: the first that sounds, and the one behind the last. */
  from: frames,
  to: frames.nullable(),
  loop: z.enum(["none", "continuous", "until release"]),
  /** The first frame of the loop, and the one behind its last. */
  loopFrom: frames,
  loopTo: frames,
  gainDb: z.number().min(-144).max(60),
  pan: z.number().min(-1).max(1),
  /** How much of the level follows velocity: at 1 its square. */
  touch: z.number().min(-1).max(1),
  /** Gain that each key adds, from a key on. */
  keyDb: z.number().min(-96).max(12),
  keyDbFrom: key,
  keyFade: fade.nullable(),
  velocityFade: fade.nullable(),
  /** Whether zones that fade into each other keep their power; else their sum. */
  fadesByPower: z.boolean(),
  volume: z.strictObject({ ...envelope, sustainDb: z.number().min(0).max(200) }).partial(),
  sweep: z.strictObject({ ...envelope, sustain: z.number().min(0).max(1), cents, filterCents: cents }).partial(),
  filter: z.enum(["off", "low", "band", "high"]),
  filterHz: z.number().min(1).max(100_000),
  /** Height of its resonance over its plain gain. */
  resonanceDb: z.number().min(0).max(96),
  /** Whether resonance takes half its height from what passes. SoundFont 2.04, 8.1.3, generator 9. */
  resonanceTakes: z.boolean(),
  filterKeyCents: z.number().min(-1200).max(1200),
  filterVelocityCents: cents,
  vibrato: z.strictObject({ delayS: seconds, hz: z.number().min(0).max(200), cents }).partial(),
  lfo: z
    .strictObject({
      delayS: seconds,
      hz: z.number().min(0).max(200),
      cents,
      filterCents: cents,
      db: z.number().min(-96).max(96),
    })
    .partial(),
  /** A note of this class ends those of the same class, or those that it names; 0: none. */
  exclusive: z.int().min(0).max(2_147_483_648),
  stoppedBy: z.int().min(0).max(2_147_483_648),
  /** What is stopped by its class fades with its release; else at once. */
  stopsSlowly: z.boolean(),
  /** Which list of the instrument's modulators it has. */
  modulators: z.int().min(0).max(4095),
};

export const zoneSchema = z.strictObject({ sample: z.string().max(64), ...z.strictObject(zoneFields).partial().shape });

export const instrumentSchema = z.strictObject({
  id: z.string().regex(/^[A-Za-z0-9_-]{1,64}$/, "an id is 1 to 64 letters, digits, - or _"),
  name: z.string().max(200),
  /** Where it came from: file, bank and program. */
  origin: z.string().max(300).default(""),
  zones: z.array(zoneSchema).max(4096),
  modulators: z.array(z.array(modulatorSchema).max(64)).max(4096).default([]),
});
