import { z } from "zod";
import { jobKind, madeSchema } from "./kind";

/** Lays the files of a handoff on the session where they came from: each on a track of its own, muted. */
export const bringBack = jobKind({
  request: { handoff: z.string() },
  result: { handoff: z.string(), files: z.int(), made: madeSchema },
  priority: 0,
});
