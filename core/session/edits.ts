import { z } from "zod";
import { applyEditsWith, applyStepWith, MOST_EDITS } from "./apply";
import type { Applied, Edit, Step } from "./apply";
import type { Session } from "./document";
import type { Checked } from "./problem";
import { BY_SCHEMA } from "./by-schema";
import { records, type CollectionName } from "./records";

export type { Edit, Step } from "./apply";

const place = {
  in: z.enum(Object.keys(records) as [CollectionName, ...CollectionName[]]),
  /** The track that holds the record, for clips, devices, sends, automation and takes. */
  track: z.string().optional(),
};
const fields = z.record(z.string(), z.unknown());

/**
 * The shape of an edit as it travels. What stands in an item, a patch or a list is checked where it is applied, against
 * the record it is for.
 */
const wireSchema = z.discriminatedUnion("do", [
  z.strictObject({ do: z.literal("add"), ...place, item: fields, index: z.int().min(0) }),
  z.strictObject({ do: z.literal("remove"), ...place, id: z.string() }),
  z.strictObject({ do: z.literal("move"), ...place, id: z.string(), index: z.int().min(0) }),
  z.strictObject({ do: z.literal("set"), ...place, id: z.string(), patch: fields }),
  z.strictObject({
    do: z.literal("replace"),
    in: z.enum(["phrases", "automation"]),
    track: place.track,
    id: z.string(),
    remove: z.array(fields).max(100000),
    add: z.array(fields).max(100000),
  }),
  z.strictObject({ do: z.literal("set session"), patch: fields }),
  z.strictObject({ do: z.literal("set sheet"), patch: fields }),
]);
// Whatever travels is an edit; `applyStep` refuses what is not one that fits.
export const editSchema = wireSchema as unknown as z.ZodType<Edit>;

/** A step as it travels. */
export const stepSchema = z.strictObject({
  label: z.string().max(200),
  edits: z.array(editSchema).min(1).max(MOST_EDITS),
});

/**
 * Applies a whole step or nothing, with every record held to its schema. The result is always a valid, consistent
 * session; what would not be is refused with the place and the reason.
 */
export const applyStep = (session: Session, step: Step): Checked<Applied> => applyStepWith(BY_SCHEMA, session, step);

/** Applies a step's edits one by one; every record fits its schema then, the session as a whole is not checked yet. */
export const applyEdits = (session: Session, step: Step): Checked<Applied> => applyEditsWith(BY_SCHEMA, session, step);
