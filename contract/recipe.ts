import { z } from "zod";
import type { Frozen } from "../core/session/document";
import { slipSchema } from "../core/printing/slip-schema";

/** What a recipe keeps of a slip: everything but the tracks, clips, phrases, pads and moves of one session. */
export const recipeSlip = slipSchema.omit({ tracks: true, clips: true, of: true, moves: true, pad: true }).extend({
  /** What of a selection is printed: its clips where some are chosen, whole tracks, or the chosen clip's phrase. */
  subject: z.enum(["clips", "tracks", "phrase"]).default("clips"),
});
export const recipeBody = z.strictObject({ name: z.string().trim().min(1).max(120), slip: recipeSlip });
export const recipeSchema = recipeBody.extend({ id: z.string(), madeAt: z.string() });
export type Recipe = Frozen<z.infer<typeof recipeSchema>>;
