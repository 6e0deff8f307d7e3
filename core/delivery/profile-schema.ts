import { z } from "zod";
import { sheetSchema, stemRowSchema } from "../session/document";

/** What a receiver is to get: everything of a sheet but its rows, its range and what is written to one receiver. */
export const profileBodySchema = z.strictObject({
  /** In one line: what the receiver gets. */
  about: z.string().max(200),
  sheet: sheetSchema.pick({
    tail: true,
    tailSeconds: true,
    tailBeats: true,
    ends: true,
    leadInBars: true,
    rate: true,
    depth: true,
    dither: true,
    format: true,
    mixes: true,
    mixFormat: true,
    folderName: true,
    fileName: true,
    sessionFiles: true,
  }),
  /** What every row becomes. */
  rows: stemRowSchema.pick({ tap: true, returns: true, linked: true, channels: true }),
});
