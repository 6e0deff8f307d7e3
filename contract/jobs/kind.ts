import { z } from "zod";
import type { Frozen, Session } from "../../core/session/document";
import type { Problem } from "../../core/session/problem";

/** How a job can be seen to be impossible before it is begun: the sentence, the places, and what to do. */
export interface Impossible {
  readonly what: string;
  readonly problems: readonly Problem[];
  readonly todo: string;
}

/** What is to be known of a kind of job: what is asked, what comes of it, and when it runs. Words: `job-words.ts`. */
export interface JobKindDeclaration<Request extends z.ZodRawShape, Result extends z.ZodRawShape> {
  readonly request: Request;
  readonly result: Result;
  /** Lower goes first: what a person waits for, then exports, then what is only measured. */
  readonly priority: 0 | 1 | 2 | 3;
  /** It may be asked for without a session. */
  readonly alone?: boolean;
  /** One that waits already does for all that ask. */
  readonly once?: boolean;
  /** Whether a measurement of the load beside it says too much; it does, where nothing else is said. */
  readonly disturbs?: boolean;
  /** Why it cannot be done with the session as it is; null where nothing speaks against it. */
  impossible?(session: Session, request: z.infer<z.ZodObject<Request>>): Impossible | null;
}

export const jobKind = <Request extends z.ZodRawShape, Result extends z.ZodRawShape>(
  declaration: JobKindDeclaration<Request, Result>,
) => declaration;

const finding = z.discriminatedUnion("kind", [
  z.strictObject({ kind: z.literal("edge"), at: z.enum(["start", "end"]), jumpDb: z.number() }),
  z.strictObject({ kind: z.literal("cut tail"), endDb: z.number() }),
  z.strictObject({ kind: z.literal("clipped"), samples: z.int() }),
  z.strictObject({
    kind: z.literal("dull attack"),
    track: z.string(),
    clip: z.string(),
    name: z.string(),
    fadeFrames: z.int(),
    onset: z.int(),
    lossDb: z.number(),
  }),
]);

/** What a finished print is. */
export const printedSchema = z.strictObject({
  print: z.string(),
  name: z.string(),
  asset: z.string(),
  frames: z.int(),
  rate: z.int(),
  from: z.int(),
  reused: z.boolean(),
  peakDb: z.number().nullable(),
  truePeakDb: z.number().nullable(),
  lufs: z.number().nullable(),
  tailFrames: z.int(),
  endDb: z.number().nullable(),
  /** Of a loop: the step from its last sample to its first, and the largest step near by. */
  seam: z.strictObject({ jumpDb: z.number().nullable(), slopeDb: z.number().nullable() }).nullable(),
  findings: z.array(finding),
});
export type PrintedFacts = Frozen<z.infer<typeof printedSchema>>;

/** Tracks and clips that a job has put into its session. Jobs of before did not say. */
export const madeSchema = z
  .strictObject({
    tracks: z.array(z.string()),
    clips: z.array(z.strictObject({ track: z.string(), clip: z.string() })),
  })
  .default({ tracks: [], clips: [] });

/** Files that turned out silent and were left out: what each is of, and why. Jobs of before failed as a whole. */
export const silentSchema = z.array(z.strictObject({ name: z.string(), reason: z.string() })).default([]);

/** Times real time of a pass; null when everything was reused. */
export const passSpeed = z.number().nullable();

/**
 * First frame of the timeline that was rendered, where what lies before it is taken from earlier files, and the
 * seconds that it took; null where all was rendered or nothing.
 */
export const passSince = z.strictObject({ at: z.int(), tookS: z.number() }).nullable().default(null);
