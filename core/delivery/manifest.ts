import { z } from "zod";
import type { Frozen } from "../session/document";
import { meterPointSchema, tempoPointSchema } from "../session/document";

/** `manifest.json` of a delivery: what every file is, for people's programs and for our own proof. */
export const manifestSchema = z.strictObject({
  format: z.literal("stemzo-manifest"),
  version: z.literal(1),
  session: z.strictObject({ id: z.string(), name: z.string(), revision: z.int(), rate: z.int() }),
  folder: z.string(),
  rate: z.int(),
  depth: z.enum(["16", "24", "32f"]),
  dither: z.boolean(),
  /** Of every file, in frames at `rate`. */
  frames: z.int(),
  /** The range on the session's own timeline, and whether what rang on after it was waited for. */
  range: z.strictObject({ from: z.int(), to: z.int(), tail: z.enum(["measured", "none"]) }),
  /**
   * Where the first frame stands on the timeline, in frames at `rate`; the same number is in every file's bext chunk.
   */
  timeReference: z.int(),
  /** Ticks in front of bar 1. */
  leadIn: z.int().default(0),
  /** Ticks are 960 to a quarter note. */
  tempo: z.array(tempoPointSchema),
  meter: z.array(meterPointSchema),
  files: z.array(
    z.strictObject({
      name: z.string(),
      title: z.string(),
      role: z.enum(["stem", "reference mix"]),
      sources: z.array(z.string()),
      tap: z.string(),
      channels: z.int(),
      frames: z.int(),
      bytes: z.int(),
      sha256: z.string(),
      fingerprint: z.string(),
    }),
  ),
});
export type Manifest = Frozen<z.infer<typeof manifestSchema>>;
