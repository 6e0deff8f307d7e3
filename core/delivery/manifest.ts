import { z } from "zod";
import type { Frozen } from "../session/document";
import { meterPointSchema, tempoPointSchema } from "../session/document";

/** `manifest.json` of a delivery: what every file is, for people's programs and for our own proof. */
export const manifestSchema = z.strictObject({
  format: z.literal("stemzo-manifest"),
  version: z.literal(2),
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
  /** What lies beside the audio. `manifest.json` itself and `SHA256SUMS`, which names it, are not among them. */
  papers: z.array(
    z.strictObject({
      name: z.string(),
      role: z.enum(["tempo map", "sheet", "table"]),
      bytes: z.int(),
      sha256: z.string(),
    }),
  ),
});
export type Manifest = Frozen<z.infer<typeof manifestSchema>>;

/** As packages of the first version have it: nothing lay beside the audio. */
const firstManifestSchema = manifestSchema.omit({ papers: true }).extend({ version: z.literal(1) });

/** A manifest of this version or of an earlier one, as one of this. Throws zod's error with the place. */
export function parseManifest(json: unknown): Manifest {
  const version = z.object({ version: z.number() }).safeParse(json);
  if (version.data?.version !== 1) return manifestSchema.parse(json);
  return { ...firstManifestSchema.parse(json), version: 2, papers: [] };
}

/** In the package's folder: the hash and name of every file, as `sha256sum -c` takes them. */
export const HASH_LIST_NAME = "SHA256SUMS";
export const MANIFEST_NAME = "manifest.json";

/** What `SHA256SUMS` says of a package, whose manifest is a file with a hash of its own. */
export const hashList = ({ files, papers }: Manifest, manifestSha256: string): string =>
  [...files, ...papers, { name: MANIFEST_NAME, sha256: manifestSha256 }]
    .map(({ name, sha256 }) => `${sha256}  ${name}\n`)
    .join("");
