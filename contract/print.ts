import { z } from "zod";
import { slipSchema } from "../core/printing/slip-schema";
import type { Slip } from "../core/printing/slip";
import type { Frozen } from "../core/session/document";

/** A print and where it came from. */
export const printRecordSchema = z.strictObject({
  id: z.string(),
  job: z.string(),
  /** Which file of its job it is. */
  place: z.int(),
  asset: z.string(),
  name: z.string(),
  slip: slipSchema,
  sources: z.array(z.string()),
  fingerprint: z.string(),
  revisionBefore: z.int(),
  revisionAfter: z.int(),
  checked: z.boolean(),
  /** Of the mix before taken from the mix after; null where nothing was left, or it was not compared. */
  residueDb: z.number().nullable(),
  madeAt: z.string(),
});
export type PrintRecord = Frozen<Omit<z.infer<typeof printRecordSchema>, "slip">> & { readonly slip: Slip };
export const reopenedSchema = z.strictObject({ revision: z.int(), tracks: z.array(z.string()) });
