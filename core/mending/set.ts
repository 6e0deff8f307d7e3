import { z } from "zod";
import type { Measures } from "../analysis/measure";
import type { AudioReader } from "../audio/audio-reader";
import type { Frames } from "../units";
import type { Frozen } from "../session/document";

/** A file of a set of stems as it lies there, opened at the rate that most of the set has. */
export interface SetFile {
  readonly path: string;
  readonly name: string;
  /** As the file itself has them. */
  readonly rate: number;
  readonly depth: string;
  /** What it was compressed with, of which something is gone for good; null: nothing is. */
  readonly codec: string | null;
  /** At the set's rate. */
  readonly frames: Frames;
  readonly timeReference: Frames | null;
  readonly measures: Measures;
  readonly audio: AudioReader;
}

const finding = <const K extends string, S extends z.ZodRawShape>(kind: K, shape: S) =>
  z.strictObject({ kind: z.literal(kind), weight: z.enum(["wrong", "look", "know"]), ...shape });
const file = z.string();

/** What is wrong with a set, or worth a look: which file, and by how much. Wording is in `core/words/mending.ts`. */
export const setFindingSchema = z.discriminatedUnion("kind", [
  finding("other rate", { file, rate: z.int(), common: z.int() }),
  finding("other depth", { file, depth: z.string(), common: z.string() }),
  finding("compressed", { file, codec: z.string() }),
  finding("silent", { file }),
  finding("clipped", { file, runs: z.int() }),
  finding("mono as stereo", { file }),
  finding("doubled", { file, of: z.string() }),
  /** Two files of one channel that are the sides of one. */
  finding("sides", { file, of: z.string() }),
  /** Positive: it begins later than the others; `by`: what says so. */
  finding("shifted", { file, frames: z.int(), by: z.enum(["content", "stamp"]) }),
  /** Every file begins so much earlier than the mix says: the mix itself begins late, or early. */
  finding("mix shifted", { file, frames: z.int() }),
  /** It was made on another clock: positive, it runs fast; `frames`: how early it is at its end. */
  finding("drift", { file, ppm: z.number(), frames: z.int() }),
  finding("wrong stamp", { file, frames: z.int() }),
  /** Frames it lacks at its end; `endDb`: how loud it is where it breaks off. */
  finding("cut", { file, frames: z.int(), endDb: z.number().nullable() }),
  /** `silent`: nothing is heard in what is behind the others' end; `front`: as much silence stands in front of it. */
  finding("padded", { file, frames: z.int(), silent: z.boolean(), front: z.boolean() }),
  /** Sound that is gone because it was shifted out of the file. */
  finding("lost", { file, frames: z.int(), at: z.enum(["start", "end"]) }),
  finding("swapped sides", { file }),
  finding("inverted", { file }),
  finding("gain", { file, db: z.number() }),
  finding("not in the mix", { file }),
  /** Where what is in no file is heard, in frames. */
  finding("missing", { peakDb: z.number(), from: z.int(), to: z.int() }),
  finding("mix went through a chain", { peakDb: z.number() }),
  finding("no mix", {}),
  finding("says nothing", { file }),
  finding("same name", { file, of: z.string() }),
  /** `heard`: the tempo that its beginnings keep to; null: none can be told. */
  finding("no tempo", { heard: z.number().nullable() }),
  /** Beats to the minute. */
  finding("other tempo", { stated: z.number(), heard: z.number() }),
  /** Seconds that its first hit takes to rise, and that its others take at most. */
  finding("dulled first hit", { file, riseS: z.number(), othersS: z.number() }),
]);
export type SetFinding = Frozen<z.infer<typeof setFindingSchema>>;

const MOST_SHIFT: Frames = 0x10000000000;

/** A file was made on another clock than the set, and drifts. */
export const driftSchema = z.strictObject({
  /** Positive: it runs fast, and lacks this many frames in a million. */
  ppm: z.number().min(-1000).max(1000),
  /** Fraction of a frame that its start is early by, beside whole frames. */
  between: z.number().min(-1).max(1),
});
export type Drift = Frozen<z.infer<typeof driftSchema>>;

/** What is done to a file so that the set is right. */
export const mendSchema = z.strictObject({
  path: z.string().max(1100),
  /** What it is called in the repaired set. */
  name: z.string().max(200),
  /** Its content is moved by so many frames, at the set's rate. */
  shift: z.int().min(-MOST_SHIFT).max(MOST_SHIFT),
  gainDb: z.number().min(-144).max(24),
  invert: z.boolean(),
  swap: z.boolean(),
  mono: z.boolean(),
  leaveOut: z.boolean(),
  /** It is resampled to the set's clock. */
  drift: driftSchema.nullable(),
});
export type Mend = Frozen<z.infer<typeof mendSchema>>;

/** A judged set: what was found, and what mends it. */
export const judgedSchema = z.strictObject({
  rate: z.int(),
  depth: z.enum(["16", "24", "32f"]),
  /** Of every mended file. */
  frames: z.int(),
  /** The mix that the files were held against; null: there was none. */
  mix: z.string().nullable(),
  findings: z.array(setFindingSchema),
  mends: z.array(mendSchema),
  /** Peak of what is left of the mix when all mended files are taken from it; null: nothing, or there is no mix. */
  residualDb: z.number().nullable(),
});
export type Judged = Frozen<z.infer<typeof judgedSchema>>;
