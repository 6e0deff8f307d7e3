import { z } from "zod";
import { jobKind } from "./kind";

/** Whether the session sounds after a print as it did before. */
export const check = jobKind({
  /** The job that printed. */
  request: { job: z.string() },
  result: {
    job: z.string(),
    /** Peak of what is left of the mix before taken from the mix after; null: nothing at all. */
    peakDb: z.number().nullable(),
    at: z.int(),
  },
  priority: 2,
});
