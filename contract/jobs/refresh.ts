import { z } from "zod";
import { jobKind, passSince, passSpeed, printedSchema, silentSchema } from "./kind";

/** Prints made again from their sources as they are now, in place of the old ones. */
export const refresh = jobKind({
  request: {
    prints: z.array(z.uuid()).min(1).max(1000),
    /** With their tails, where they were printed without. */
    withTail: z.boolean().default(false),
  },
  result: { prints: z.array(printedSchema), speed: passSpeed, since: passSince, silent: silentSchema },
  priority: 0,
});
