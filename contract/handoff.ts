import { z } from "zod";
import { manifestSchema } from "../core/delivery/manifest";
import type { Proof } from "../core/proof/proof";
import type { Frozen } from "../core/session/document";
import { measuresSchema } from "./audio";

const markSchema = z.enum(["right", "look", "wrong"]);
const cellSchema = z.strictObject({ mark: markSchema, text: z.string() });
const contentSchema = z.strictObject({
  residueDb: z.number().nullable(),
  residueAt: z.int(),
  clippedSamples: z.int(),
  lostDb: z.number(),
  offsetFrames: z.int().nullable(),
  cause: z.string().nullable(),
  frames: z.int(),
  soundEnd: z.int().exactOptional(),
});

/** The measured evidence for one delivery. */
export const proofSchema = z.strictObject({
  manifest: manifestSchema,
  zipBytes: z.int(),
  files: z.array(
    z.strictObject({
      name: z.string(),
      role: z.enum(["stem", "reference mix", "mix before its chain"]),
      rate: z.int(),
      depth: z.string(),
      channels: z.int(),
      frames: z.int(),
      timeReference: z.int().nullable(),
      sha256: z.string(),
      measures: measuresSchema,
      offsetFrames: z.int().nullable(),
      /** Proofs of earlier days have none. */
      content: contentSchema.exactOptional(),
      silence: z.enum(["nothing placed", "muted"]).nullable().exactOptional(),
      picture: z.strictObject({ peaks: z.array(z.int()), loudness: z.array(z.number().nullable()) }),
    }),
  ),
  /** Null where no mix was rendered beside the stems. */
  residual: z
    .strictObject({
      peakDb: z.number().nullable(),
      rmsDb: z.number().nullable(),
      overTime: z.array(z.number().nullable()),
      stepSeconds: z.number(),
    })
    .nullable(),
  unsummable: z.array(z.string()),
  verdict: z.strictObject({
    mark: markSchema,
    checks: z.array(z.strictObject({ id: z.string(), name: z.string(), cells: z.array(cellSchema) })),
    sum: cellSchema,
    /** On what lies beside the audio; proofs of earlier days have none. */
    beside: cellSchema.exactOptional(),
  }),
}) satisfies z.ZodType<Proof>;

/** What was measured of a delivered file when it was written. */
export const fileFactsSchema = z.strictObject({
  name: z.string(),
  channels: z.int(),
  frames: z.int(),
  rate: z.int(),
  measures: measuresSchema,
  /** Its outline: lowest and highest values of equal spans as signed bytes in pairs, in base64. */
  outline: z.string(),
});
export type FileFactsAsMade = Frozen<z.infer<typeof fileFactsSchema>>;

/** A finished export in a list. */
export const handoffSummarySchema = z.strictObject({
  id: z.string(),
  revision: z.int(),
  fileName: z.string(),
  files: z.int(),
  sessionFiles: z.int(),
  bytes: z.int(),
  /** Of a handoff that came with a bundle only what was in its package is known: the package itself is not here. */
  isHere: z.boolean(),
  /** Whether it holds all files of its sheet, not only what had changed. */
  full: z.boolean(),
  /** Whom its sheet was filled for; empty: no receiver. */
  receiver: z.string(),
  /** What became of the files of the package that it carries on, in sentences. */
  changes: z.array(z.string()),
  /** Null until it is proven. */
  mark: markSchema.nullable(),
  madeAt: z.string(),
});
export type HandoffSummary = Frozen<z.infer<typeof handoffSummarySchema>>;

/** A finished export, with its proof once that is made. */
export const handoffSchema = z.strictObject({
  id: z.string(),
  session: z.string(),
  revision: z.int(),
  fileName: z.string(),
  /** Hash of the mix that the stems should add up to, from the same pass; null where none was rendered. */
  whole: z.string().nullable(),
  /** What was measured of each file when it was written, by name; packages of earlier days do not say. */
  facts: z.array(fileFactsSchema),
  /** Of the pass, times real time. */
  speed: z.number(),
  madeAt: z.string(),
  manifest: manifestSchema,
  bytes: z.int(),
  /** Null until it is proven. */
  proof: proofSchema.nullable(),
});
export type Handoff = Frozen<z.infer<typeof handoffSchema>>;
