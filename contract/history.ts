import { z } from "zod";
import type { Frozen } from "../core/session/document";

/** As many as the database counts to, and room for one more. */
const MOST_REVISIONS = 2_000_000_000;
const revision = z.int().min(0).max(MOST_REVISIONS);

/** A point of a session's history: what was done last, and the name of the point, where it has one. */
export const pointSchema = z.strictObject({
  revision: z.int(),
  /** Of the step that led here; of revision 0, how the session began. */
  label: z.string(),
  how: z.enum(["edit", "undo", "redo"]),
  at: z.string(),
  version: z.string().nullable(),
});
export type Point = Frozen<z.infer<typeof pointSchema>>;

export const historySchema = z.strictObject({
  /** The newest first. */
  points: z.array(pointSchema),
  /** Every named point, the newest first, also those that are not among `points`. */
  versions: z.array(pointSchema),
});
export type History = Frozen<z.infer<typeof historySchema>>;

export const historyQuery = z.strictObject({
  before: z.coerce
    .number()
    .int()
    .min(0)
    .max(MOST_REVISIONS)
    .optional()
    .describe("only points earlier than this revision"),
  limit: z.coerce.number().int().min(1).max(500).default(200).describe("how many points at most"),
});
/** An empty name takes it away. */
export const versionBody = z.strictObject({ revision, name: z.string().trim().max(120) });
export const returnBody = z.strictObject({ revision });
