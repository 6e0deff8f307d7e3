import { z } from "zod";
import { judgedSchema } from "../../core/mending/set";
import { sentFileSchema } from "../intake";
import { jobKind } from "./kind";

/** Makes a session of a judged set with its mends, and, asked for, exports it as a proven package. The files stay. */
export const mend = jobKind({
  request: {
    files: z.array(sentFileSchema).min(1).max(5000),
    candidate: z.string(),
    /** Of the session; empty: as the set is called. */
    name: z.string().max(200).default(""),
    /** Beats to the minute, where a person knows better than the files; null: as they say. */
    bpm: z.number().min(10).max(500).nullable().default(null),
    /** As it was judged; its mends may have been changed. */
    judged: judgedSchema,
    /** Hands the mended set on: an export, and its proof, follow. */
    handOn: z.boolean().default(false),
  },
  result: {
    session: z.string(),
    /** The export that hands it on; null: none was asked for. */
    export: z.string().nullable(),
  },
  priority: 0,
  alone: true,
});
