import { z } from "zod";
import { manifestSchema } from "../core/delivery/manifest";
import type { Frozen } from "../core/session/document";

export const newLinkBody = z.strictObject({
  /** For whom, in the sender's words. */
  name: z.string().trim().min(1).max(120),
  days: z.int().min(1).max(366).default(14),
  /** Asked for beside the address. */
  passphrase: z.string().min(6).max(200).nullable().default(null),
  /** How often the package or a file of it may be fetched. */
  mostDownloads: z.int().min(1).max(10000).nullable().default(null),
});

/** A private link as its sender sees it; its secret is told once, when it is made. */
export const linkSchema = z.strictObject({
  id: z.string(),
  handoff: z.string(),
  name: z.string(),
  hasPassphrase: z.boolean(),
  expiresAt: z.string(),
  revokedAt: z.string().nullable(),
  mostDownloads: z.int().nullable(),
  downloads: z.int(),
  madeAt: z.string(),
  /** What was fetched through it, newest first. */
  fetches: z.array(z.strictObject({ what: z.string(), at: z.string() })),
});
export type Link = Frozen<z.infer<typeof linkSchema>>;

/** A link just made, with the path that it stands for. */
export const madeLinkSchema = z.strictObject({ link: linkSchema, path: z.string() });

/** What a receiver gets to know of a delivery: nothing of the session, and nothing of any other delivery. */
export const deliverySchema = z.strictObject({
  song: z.string(),
  receiver: z.string(),
  notes: z.string(),
  madeAt: z.string(),
  expiresAt: z.string(),
  downloadsLeft: z.int().nullable(),
  fileName: z.string(),
  bytes: z.int(),
  rate: z.int(),
  depth: z.string(),
  frames: z.int(),
  ends: manifestSchema.shape.ends,
  silence: manifestSchema.shape.silence,
  /** Where on the song's timeline the files begin, behind the silence, in frames at the song's own rate. */
  from: z.int(),
  songRate: z.int(),
  leadIn: z.int(),
  tempo: manifestSchema.shape.tempo,
  meter: manifestSchema.shape.meter,
  markers: manifestSchema.shape.markers,
  files: z.array(
    z.strictObject({
      name: z.string(),
      title: z.string(),
      role: z.enum(["stem", "reference mix", "mix before its chain"]),
      format: z.enum(["wav", "aiff", "flac", "mp3"]),
      channels: z.int(),
      /** It is one channel of two, and the other is a file of its own. */
      side: z.enum(["left", "right"]).nullable(),
      frames: z.int(),
      rate: z.int(),
      bytes: z.int(),
      sha256: z.string(),
      lufs: z.number().nullable(),
      truePeakDb: z.number().nullable(),
      outline: z.string(),
    }),
  ),
  papers: z.array(z.strictObject({ name: z.string(), role: z.string(), bytes: z.int(), sha256: z.string() })),
  /** The session for other programs: each with how much of it could not be told as it is, and what lies beside it. */
  sessionFiles: z.array(
    z.strictObject({
      name: z.string(),
      /** What files of its kind are called. */
      kind: z.string(),
      bytes: z.int(),
      sha256: z.string(),
      tracks: z.int(),
      clips: z.int(),
      notes: z.int(),
      beside: z.array(z.strictObject({ name: z.string(), bytes: z.int(), sha256: z.string() })),
    }),
  ),
  /** What was found when the package was read back; null until it has been. */
  proof: z.strictObject({ mark: z.enum(["right", "look", "wrong"]), sum: z.string() }).nullable(),
  /** What changed since the package before, in sentences. */
  changes: z.array(z.string()),
});
export type Delivery = Frozen<z.infer<typeof deliverySchema>>;
