import { z } from "zod";
import { slipSchema } from "../core/printing/slip";
import type { Frames } from "../core/units";

export const refreshBody = z.strictObject({
  prints: z.array(z.uuid()).min(1).max(1000),
  /** With their tails, where they were printed without. */
  withTail: z.boolean().default(false),
});

/** What a render process can be asked for. */
export const jobRequestSchema = z.discriminatedUnion("kind", [
  z.strictObject({ kind: z.literal("freeze"), tracks: z.array(z.string()).min(1).max(1000) }),
  z.strictObject({ kind: z.literal("export") }),
  /** Read a finished package back and hold it to a fresh render. */
  z.strictObject({ kind: z.literal("prove"), handoff: z.string() }),
  z.strictObject({
    kind: z.literal("import"),
    files: z
      .array(z.strictObject({ upload: z.uuid(), name: z.string().max(400) }))
      .min(1)
      .max(500),
    /** By their own time stamps (those without, at `frame`), or all at `frame` of the timeline. */
    by: z.enum(["time reference", "frame"]),
    frame: z.int().min(0),
    /** The track that the first file goes to; all others get their own. */
    track: z.string().nullable(),
  }),
  z.strictObject({ kind: z.literal("print"), slip: slipSchema }),
  /** Prints made again from their sources as they are now, in place of the old ones. */
  z.strictObject({ kind: z.literal("refresh"), ...refreshBody.shape }),
  /** The mix before a print, after it, and their difference, to be heard. */
  z.strictObject({ kind: z.literal("listen"), print: z.string() }),
  /** Whether the session sounds after a print as it did before. */
  z.strictObject({ kind: z.literal("check"), print: z.string() }),
  z.strictObject({ kind: z.literal("load") }),
]);
export type JobRequest = z.infer<typeof jobRequestSchema>;

export const jobStatusSchema = z.enum(["waiting", "running", "done", "failed", "cancelled"]);
export type JobStatus = z.infer<typeof jobStatusSchema>;

/** `stage` in words for a person; `speed` is audio time over wall time of the pass so far. */
export const jobProgressSchema = z.strictObject({
  stage: z.string(),
  done: z.number().min(0).max(1),
  speed: z.number().nullable(),
  secondsLeft: z.number().nullable(),
});
export type JobProgress = z.infer<typeof jobProgressSchema>;

const findingSchema = z.discriminatedUnion("kind", [
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

const printedSchema = z.strictObject({
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
  findings: z.array(findingSchema),
});
export type PrintedFacts = z.infer<typeof printedSchema>;

export const jobResultSchema = z.discriminatedUnion("kind", [
  z.strictObject({
    kind: z.literal("freeze"),
    prints: z.array(
      z.strictObject({
        track: z.string(),
        asset: z.string(),
        frames: z.int(),
        reused: z.boolean(),
        peakDb: z.number().nullable(),
        lufs: z.number().nullable(),
        tailFrames: z.int(),
      }),
    ),
    /** Times real time of the pass; null when everything was reused. */
    speed: z.number().nullable(),
  }),
  z.strictObject({ kind: z.literal("export"), handoff: z.string() }),
  z.strictObject({ kind: z.literal("prove"), handoff: z.string(), mark: z.enum(["right", "look", "wrong"]) }),
  z.strictObject({
    kind: z.literal("import"),
    files: z.array(
      z.strictObject({
        name: z.string(),
        asset: z.string(),
        was: z.string(),
        rate: z.int(),
        converted: z.boolean(),
        frames: z.int(),
        timeReference: z.int().nullable(),
      }),
    ),
    /** Files that could not be read, each with the reason. */
    left: z.array(z.strictObject({ name: z.string(), why: z.string() })),
  }),
  z.strictObject({
    kind: z.literal("print"),
    prints: z.array(printedSchema),
    /** Times real time of the pass; null when everything was reused. */
    speed: z.number().nullable(),
    /** Why it cannot sound the same; null: it is being checked that it does. */
    differs: z.string().nullable(),
    /** Whether the print takes its source's place; else it is muted beside it, on the shelf or on a pad. */
    heard: z.boolean().default(true),
    /**
     * Whether that it differs was known before it was rendered; else it is measured, as where nothing speaks against
     * it.
     */
    certain: z.boolean().default(true),
  }),
  z.strictObject({ kind: z.literal("refresh"), prints: z.array(printedSchema), speed: z.number().nullable() }),
  z.strictObject({
    kind: z.literal("listen"),
    print: z.string(),
    before: z.string(),
    after: z.string(),
    difference: z.string(),
    /** Where on the timeline they begin, and how long they are. */
    from: z.int(),
    frames: z.int(),
    differencePeakDb: z.number().nullable(),
  }),
  z.strictObject({
    kind: z.literal("check"),
    print: z.string(),
    /** Peak of what is left of the mix before taken from the mix after; null: nothing at all. */
    peakDb: z.number().nullable(),
    at: z.int(),
  }),
  z.strictObject({ kind: z.literal("load"), total: z.number() }),
]);
export type JobResult = z.infer<typeof jobResultSchema>;

/** What happened, what was kept, what to do: the three sentences every error ends in. */
export const faultSchema = z.strictObject({
  what: z.string(),
  kept: z.string(),
  todo: z.string(),
  problems: z.array(z.strictObject({ where: z.string(), what: z.string() })),
});
export type ServiceFault = z.infer<typeof faultSchema>;

export const jobSchema = z.strictObject({
  id: z.string(),
  session: z.string(),
  request: jobRequestSchema,
  status: jobStatusSchema,
  progress: jobProgressSchema,
  result: jobResultSchema.nullable(),
  fault: faultSchema.nullable(),
  attempts: z.int(),
});
export type Job = z.infer<typeof jobSchema>;

export const WAITING: JobProgress = { stage: "waiting for a render process", done: 0, speed: null, secondsLeft: null };

export const isOver = (status: JobStatus): boolean =>
  status === "done" || status === "failed" || status === "cancelled";

/** Progress of a pass that has rendered `frames` of about `total` in `millis`. */
export function passProgress(stage: string, frames: Frames, total: Frames, rate: number, millis: number): JobProgress {
  const done = Math.min(1, frames / Math.max(1, total));
  const running = millis > 200 && frames > 0;
  return {
    stage,
    done,
    speed: running ? frames / rate / (millis / 1000) : null,
    secondsLeft: running && done > 0 ? ((millis / 1000) * (1 - done)) / done : null,
  };
}
