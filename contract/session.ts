import { z } from "zod";
import type { LoadReport } from "../core/engine/load";
import type { Frozen, Session } from "../core/session/document";
import { sessionSchema } from "../core/session/document";
import type { Sketch } from "../core/session/sketch";
import { stepSchema } from "../core/session/edits";
import type { StoredStep } from "../core/session/sync";

const namedStep = z.strictObject({ id: z.string().min(1).max(64), step: stepSchema });

export const newSessionBody = z.strictObject({
  id: z
    .string()
    .regex(/^[a-z0-9-]{1,64}$/)
    .optional(),
  document: z.unknown(),
});
/** As many revisions as the database counts. */
const revisionNumber = z.int().min(0).max(2147483647);
/**
 * `rebase`: where others were first, the steps go on top of theirs, if they still apply. False: then nothing is stored.
 */
export const editsBody = z.strictObject({
  base: revisionNumber,
  steps: z.array(namedStep).min(1).max(200),
  rebase: z.boolean().default(true),
});
export const tracksBody = z.strictObject({ tracks: z.array(z.string()).min(1).max(1000) });
export const eventsQuery = z.strictObject({
  after: z.coerce.number().int().min(0).max(2147483647).optional().describe("last revision known"),
});

/** The load of every track as it was measured at a revision. */
const measuredLoadSchema = z.strictObject({
  revision: z.int(),
  from: z.int(),
  frames: z.int(),
  total: z.number(),
  tracks: z.record(z.string(), z.number()),
}) satisfies z.ZodType<LoadReport>;
export type MeasuredLoad = Frozen<z.infer<typeof measuredLoadSchema>>;

export const sessionStateSchema = z.strictObject({
  id: z.string(),
  revision: z.int(),
  document: sessionSchema,
  /** What undo and redo would take back and bring back; null when there is nothing. */
  undo: z.string().nullable(),
  redo: z.string().nullable(),
  load: measuredLoadSchema.nullable(),
});
export type SessionState = Omit<Frozen<z.infer<typeof sessionStateSchema>>, "document"> & {
  readonly document: Session;
};

export const sessionSummarySchema = z.strictObject({
  id: z.string(),
  name: z.string(),
  tracks: z.int(),
  revision: z.int(),
  changedAt: z.string(),
  deletedAt: z.string().nullable(),
});
export type SessionSummary = Frozen<z.infer<typeof sessionSummarySchema>>;

/** A session at a glance: what its small picture shows. */
export const sketchSchema = z.strictObject({
  frames: z.int(),
  rate: z.int(),
  bpm: z.number(),
  tempoMoves: z.boolean(),
  meter: z.string(),
  rows: z.array(
    z.strictObject({ kind: z.enum(["audio", "notes"]), spans: z.array(z.tuple([z.int(), z.int()]).readonly()) }),
  ),
}) satisfies z.ZodType<Sketch>;

export const revisionSchema = z.strictObject({ revision: z.int() });
export const wentBackSchema = z.strictObject({ revision: z.int(), label: z.string() });
/** What was taken back or brought forth, and what the next undo and redo would. */
export const traveledSchema = wentBackSchema.extend({ undo: z.string().nullable(), redo: z.string().nullable() });
export type Traveled = Frozen<z.infer<typeof traveledSchema>>;
/** `missing`: what others did since the base, where the steps were put on top of it. */
export const storedSchema = z.strictObject({
  revision: z.int(),
  missing: z.array(namedStep.extend({ revision: z.int() })).exactOptional(),
});
/** Others were first: what they did, or the first of it, where that is very much. */
export const behindSchema = z.strictObject({
  revision: z.int(),
  missing: z.array(namedStep.extend({ revision: z.int() })),
});

/** What the event stream sends as `steps`. */
export interface StepsEvent {
  readonly steps: readonly StoredStep[];
  readonly undo: string | null;
  readonly redo: string | null;
}
