import { z } from "zod";
import { jobKind, madeSchema } from "./kind";

/** Brings files that were sent in: converted to the session's rate, placed on tracks. */
export const bringIn = jobKind({
  request: {
    files: z
      .array(z.strictObject({ upload: z.uuid(), name: z.string().max(400) }))
      .min(1)
      .max(500),
    /** By their own time stamps (those without, at `frame`), or all at `frame` of the timeline. */
    by: z.enum(["time reference", "frame"]).default("frame"),
    frame: z.int().min(0).default(0),
    /** The track that the first file goes to; all others get their own. */
    track: z.string().nullable().default(null),
  },
  result: {
    files: z.array(
      z.strictObject({
        name: z.string(),
        asset: z.string(),
        was: z.string(),
        rate: z.int(),
        converted: z.boolean(),
        frames: z.int(),
        timeReference: z.int().nullable(),
      }),
    ),
    /** Files that could not be read, each with the reason. */
    left: z.array(z.strictObject({ name: z.string(), why: z.string() })),
    made: madeSchema,
  },
  priority: 0,
});
