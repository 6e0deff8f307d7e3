import { z } from "zod";
import { missingAssets } from "../../core/session/supply";
import { sentFileSchema } from "../intake";
import { jobKind, madeSchema } from "./kind";

/** Puts files in the place of those that were missing when a session was opened, in one step. */
export const supply = jobKind({
  request: { files: z.array(sentFileSchema).min(1).max(5000) },
  result: {
    made: madeSchema,
    /** Names of what is no longer missing. */
    supplied: z.array(z.string()),
    /** How many files are missing still. */
    missing: z.int(),
    left: z.array(z.strictObject({ name: z.string(), why: z.string() })),
  },
  priority: 0,
  impossible(session) {
    return missingAssets(session).length > 0
      ? null
      : {
          what: "Nothing is missing in this session.",
          problems: [],
          todo: "Drop files on the lanes to bring them in.",
        };
  },
});
