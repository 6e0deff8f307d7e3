import { z } from "zod";
import type { Frozen } from "../core/session/document";

/** A file that was sent to `/api/uploads`, and what it is called with the folders it lies in. */
export const sentFileSchema = z.strictObject({ upload: z.uuid(), path: z.string().min(1).max(1000) });

/** What a file or a place can be opened as. */
export const candidateKinds = ["bundle", "dawproject", "aaf", "otio", "adl", "midi", "package", "files"] as const;
export type CandidateKind = (typeof candidateKinds)[number];

export const lossSchema = z.strictObject({
  part: z.string(),
  fate: z.enum(["kept", "printed to audio", "approximated", "left out"]),
  where: z.string(),
  count: z.int(),
  detail: z.string(),
});

/** A session that what arrived can be opened as: what is in it and how it lines up. */
export const candidateSchema = z.strictObject({
  /** By which it is chosen. */
  id: z.string(),
  kind: z.enum(candidateKinds),
  name: z.string(),
  /** Of the file that tells it; empty: the files by themselves. */
  path: z.string(),
  /** Of the timeline, and of the session it would become. */
  rate: z.int(),
  sessionRate: z.int(),
  frames: z.int(),
  startFrames: z.int(),
  /** Null: it is not stated. */
  tempo: z.strictObject({ bpm: z.number(), changes: z.int(), from: z.string() }).nullable(),
  meter: z.string().nullable(),
  markers: z.int(),
  tracks: z.array(
    z.strictObject({
      name: z.string(),
      kind: z.enum(["audio", "notes", "group", "return", "mix"]),
      channels: z.int(),
      clips: z.int(),
      notes: z.int(),
      missing: z.int(),
      /** Where its clips stand, in frames of the timeline; of very many the first ones. */
      spans: z.array(z.strictObject({ from: z.int(), to: z.int() })),
    }),
  ),
  media: z.array(
    z.strictObject({
      name: z.string(),
      /** The file that it was found in; null: inside of the session file, or nowhere. */
      path: z.string().nullable(),
      state: z.enum(["found", "inside", "missing", "not audio"]),
      rate: z.int(),
      channels: z.int(),
      frames: z.int(),
      converted: z.boolean(),
      /** Another file of the same bytes, which is kept once. */
      same: z.string().nullable(),
      /** Where it was looked for, or what is wrong with it. */
      note: z.string(),
    }),
  ),
  /** Left and right sides that become one stereo file. */
  pairs: z.array(z.strictObject({ name: z.string(), left: z.string(), right: z.string() })),
  losses: z.array(lossSchema),
});
export type Candidate = Frozen<z.infer<typeof candidateSchema>>;

/** Import, looked at. */
export const arrivalSchema = z.strictObject({
  files: z.int(),
  bytes: z.int(),
  /** Best first. */
  candidates: z.array(candidateSchema),
  /** What could not be read, each with the reason; papers and pictures are not among it. */
  left: z.array(z.strictObject({ path: z.string(), why: z.string() })),
  /** Files that are neither sound nor a session. */
  others: z.array(z.string()),
});
export type Arrival = Frozen<z.infer<typeof arrivalSchema>>;
