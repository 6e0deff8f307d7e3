import { z } from "zod";
import { manifestSchema } from "../core/delivery/manifest";
import type { Frozen } from "../core/session/document";
import { fileFactsSchema } from "./handoff";
import { printRecordSchema } from "./print";
import { recipeSchema } from "./recipe";

/**
 * The bundle: a ZIP that holds a whole session. `docs/bundle.md` tells others how to write one. Its parts are named
 * here; every one of them but the first is listed in it with its hash.
 */
export const BUNDLE_PARTS = {
  index: "bundle.json",
  session: "session.json",
  prints: "prints.json",
  recipes: "recipes.json",
  handoffs: "handoffs.json",
  audio: "audio",
} as const;
export const BUNDLE_VERSION = 1;

export const bundleIndexSchema = z.strictObject({
  format: z.literal("stemzo-bundle"),
  version: z.literal(BUNDLE_VERSION),
  name: z.string(),
  revision: z.int(),
  /** Every part and every file of audio. */
  entries: z
    .array(z.strictObject({ name: z.string().max(300), bytes: z.int().min(0), sha256: z.string().length(64) }))
    .max(50_000),
});
export type BundleIndex = Frozen<z.infer<typeof bundleIndexSchema>>;

/** A finished export as a bundle keeps it: what was in it and what was measured; the package itself stays behind. */
export const bundledHandoffSchema = z.strictObject({
  revision: z.int(),
  fileName: z.string(),
  facts: z.array(fileFactsSchema),
  speed: z.number(),
  madeAt: z.string(),
  manifest: manifestSchema,
  bytes: z.int(),
});

/** What a bundle holds beside the document and its audio. */
export const bundleBesideSchema = z.strictObject({
  prints: z.array(printRecordSchema),
  recipes: z.array(recipeSchema),
  handoffs: z.array(bundledHandoffSchema),
});
export type BundleBeside = Frozen<z.infer<typeof bundleBesideSchema>>;
