import { z } from "zod";
import { judgedSchema } from "../../core/mending/set";
import { sentFileSchema } from "../intake";
import { jobKind } from "./kind";

/** Judges a set of stems from anywhere: by itself, and against the mix that lies among it. */
export const judge = jobKind({
  request: {
    files: z.array(sentFileSchema).min(1).max(5000),
    /** Files by themselves, or those of a package; see `Candidate`. */
    candidate: z.string(),
    /** The path of the mix among them; empty: there is none; null: whichever is called so. */
    mix: z.string().nullable().default(null),
  },
  result: {
    judged: judgedSchema,
    /** Every file that was judged, the mix among them. */
    files: z.array(
      z.strictObject({
        path: z.string(),
        name: z.string(),
        rate: z.int(),
        depth: z.string(),
        channels: z.int(),
        frames: z.int(),
        peakDb: z.number().nullable(),
        lufs: z.number().nullable(),
        firstSound: z.int().nullable(),
      }),
    ),
  },
  priority: 0,
  alone: true,
});
