import { z } from "zod";
import type { Measures } from "../core/analysis/measure";

/** What is measured of a file; fields that came later are missing from what was measured before. */
export const measuresSchema = z.strictObject({
  frames: z.int(),
  peakDb: z.number().nullable(),
  truePeakDb: z.number().nullable(),
  lufs: z.number().nullable(),
  rangeLu: z.number().nullable(),
  firstSound: z.int().nullable(),
  lastSound: z.int().nullable(),
  endDb: z.number().nullable(),
  clippedRuns: z.int(),
  mono: z.boolean(),
  maxMomentaryLufs: z.number().nullable().exactOptional(),
  maxShortTermLufs: z.number().nullable().exactOptional(),
  clippedSamples: z.int().exactOptional(),
}) satisfies z.ZodType<Measures>;

/** A file in the store: its format and its measures. */
export const audioSchema = z.strictObject({
  hash: z.string(),
  rate: z.int(),
  channels: z.int(),
  depth: z.string(),
  frames: z.int(),
  bytes: z.int(),
  timeReference: z.int().nullable(),
  measures: measuresSchema,
});
export const uploadSchema = z.strictObject({ upload: z.string(), bytes: z.int() });
export const samplesQuery = z.strictObject({
  from: z.coerce.number().int().min(0).describe("first frame"),
  frames: z.coerce.number().int().min(1).max(96000).describe("how many, at most 96000"),
  side: z.enum(["left", "right"]).default("left").describe("of a mono file both are the same"),
});
