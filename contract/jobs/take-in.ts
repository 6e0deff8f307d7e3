import { z } from "zod";
import { lossSchema, sentFileSchema } from "../intake";
import { jobKind, madeSchema } from "./kind";

/** Opens what arrived as a new session, or lays it on one that is there, in one step. */
export const takeIn = jobKind({
  request: {
    files: z.array(sentFileSchema).min(1).max(5000),
    /** Which of the candidates; see `Candidate`. */
    candidate: z.string(),
    /** Null: a session of its own. */
    into: z.string().nullable().default(null),
    /** Of a session of its own; empty: as it is called. */
    name: z.string().max(200).default(""),
    /** In a session that is there: frame at which the timeline's beginning stands. */
    frame: z.int().min(0).default(0),
    /** A session that is there takes tempo and meter over. */
    withTempo: z.boolean().default(false),
    /** Beats to the minute of the timeline, where a person knows better than the files; null: as they say. */
    bpm: z.number().min(10).max(500).nullable().default(null),
    /** Left and right sides become one. */
    joinPairs: z.boolean().default(true),
    /** Laid muted beside what is there. */
    muted: z.boolean().default(false),
  },
  result: {
    session: z.string(),
    made: madeSchema,
    missing: z.int(),
    /** What of the file is not in the session, or not as it was there. Jobs of before did not say. */
    losses: z.array(lossSchema).default([]),
    /** Files that came back: which of those that were sent each answers, and how far it was moved to fit. */
    answers: z.array(
      z.strictObject({
        name: z.string(),
        title: z.string(),
        sentAt: z.string(),
        /** Null: it is not like what was sent, so it is unknown. */
        aligned: z.strictObject({ shift: z.int(), gainDb: z.number(), alike: z.number() }).nullable(),
      }),
    ),
    left: z.array(z.strictObject({ name: z.string(), why: z.string() })),
  },
  priority: 0,
  alone: true,
});
