import { z } from "zod";
import { jobKind } from "./kind";

/** The mix before a print, after it, and their difference, to be heard. */
export const listen = jobKind({
  request: { print: z.string() },
  result: {
    print: z.string(),
    before: z.string(),
    after: z.string(),
    difference: z.string(),
    /** Where on the timeline they begin, and how long they are. */
    from: z.int(),
    frames: z.int(),
    differencePeakDb: z.number().nullable(),
  },
  priority: 0,
});
