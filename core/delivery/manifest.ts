import { z } from "zod";
import { MANIFEST_NAME } from "./package-names";
import type { Frozen } from "../session/document";
import { meterPointSchema, sessionFileSchema, tempoPointSchema } from "../session/document";

/** What became of the files of an earlier package, by their names in this one. */
const changesSchema = z.strictObject({
  handoff: z.string(),
  /** Whether files that stayed as they were are in this package as well. */
  full: z.boolean(),
  added: z.array(z.string()),
  changed: z.array(z.string()),
  unchanged: z.array(z.string()),
  renamed: z.array(z.strictObject({ from: z.string(), to: z.string() })),
  /** Names in the earlier package. */
  removed: z.array(z.string()),
  /** Why everything was rendered though less was asked for; null where it was not. */
  whyAll: z.string().nullable(),
});
export type Changes = Frozen<z.infer<typeof changesSchema>>;

/** A session file of a package: how the session was told in it, what lies beside it, and what became of what. */
const sessionFileFactsSchema = z.strictObject({
  name: z.string(),
  kind: sessionFileSchema.shape.kind,
  how: sessionFileSchema,
  bytes: z.int(),
  sha256: z.string(),
  tracks: z.int(),
  clips: z.int(),
  notes: z.int(),
  /** Files of sound and papers beside it, by their names in the package. */
  beside: z.array(z.strictObject({ name: z.string(), bytes: z.int(), sha256: z.string() })),
  /** What was printed for it. */
  prints: z.array(
    z.strictObject({ id: z.string(), from: z.int(), frames: z.int(), channels: z.int(), sha256: z.string() }),
  ),
  losses: z.array(
    z.strictObject({
      part: z.string(),
      fate: z.enum(["kept", "printed to audio", "approximated", "left out"]),
      where: z.string(),
      count: z.int(),
      detail: z.string(),
    }),
  ),
});
export type SessionFileFacts = Frozen<z.infer<typeof sessionFileFactsSchema>>;

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
  /**
   * The range on the session's own timeline, what became of what rang on after it, and the frame that the pass went to;
   * earlier packages do not say.
   */
  range: z.strictObject({
    from: z.int(),
    to: z.int(),
    tail: z.enum(["measured", "fixed", "none"]),
    end: z.int().nullable().default(null),
  }),
  /** Whether all files are equally long, or each ends with its own last sound. */
  ends: z.enum(["equal", "trimmed"]).default("equal"),
  /** Silent bars in front of every file, and the frames they are at `rate`. */
  silence: z.strictObject({ bars: z.int(), frames: z.int() }).default({ bars: 0, frames: 0 }),
  /**
   * Where the first frame stands on the timeline, in frames at `rate`; the same number is in every file's bext chunk.
   */
  timeReference: z.int(),
  /** Ticks in front of bar 1. */
  leadIn: z.int().default(0),
  /** Ticks are 960 to a quarter note. */
  tempo: z.array(tempoPointSchema),
  meter: z.array(meterPointSchema),
  /** Places with names within the range. */
  markers: z.array(z.strictObject({ tick: z.int(), name: z.string() })).default([]),
  /** Notes for the receiver, and the receiver that its sheet was filled for. */
  notes: z.string().default(""),
  receiver: z.string().default(""),
  files: z.array(
    z.strictObject({
      name: z.string(),
      title: z.string(),
      role: z.enum(["stem", "reference mix", "mix before its chain"]),
      format: z.enum(["wav", "aiff", "flac", "mp3"]).default("wav"),
      /** Where it is another than all others': of an MP3. */
      rate: z.int().exactOptional(),
      /** Half the sum of both channels, or one of them. */
      fold: z.enum(["mono", "left", "right"]).nullable().default(null),
      /** Two channels were asked for even where both are the same. */
      keepsStereo: z.boolean().default(false),
      sources: z.array(z.string()),
      tap: z.string(),
      channels: z.int(),
      frames: z.int(),
      bytes: z.int(),
      sha256: z.string(),
      fingerprint: z.string(),
      /** Two files of one key and length are the same bytes. */
      key: z.string().default(""),
    }),
  ),
  /** Which mix the stems are held against; null where no mix was rendered beside them. */
  whole: z.enum(["before its chain", "after its chain"]).nullable().default("before its chain"),
  /** Against an earlier package that this one carries on. */
  since: changesSchema.nullable().default(null),
  sessionFiles: z.array(sessionFileFactsSchema).default([]),
  /** What lies beside the audio. `manifest.json` itself and `SHA256SUMS`, which names it, are not among them. */
  papers: z.array(
    z.strictObject({
      name: z.string(),
      role: z.enum(["tempo map", "sheet", "printed sheet", "table"]),
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
  return { ...firstManifestSchema.parse(json), version: 2, papers: [], sessionFiles: [] };
}

/** What `SHA256SUMS` says of a package, whose manifest is a file with a hash of its own. */
export const hashList = ({ files, sessionFiles, papers }: Manifest, manifestSha256: string): string =>
  [
    ...files,
    ...sessionFiles.flatMap((f) => [f, ...f.beside]),
    ...papers,
    { name: MANIFEST_NAME, sha256: manifestSha256 },
  ]
    .map(({ name, sha256 }) => `${sha256}  ${name}\n`)
    .join("");
