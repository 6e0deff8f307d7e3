import { z } from "zod";
import { jobKind } from "./kind";

/** Holds two packages against each other, file by file and sample by sample. */
export const differences = jobKind({
  request: { earlier: z.string(), later: z.string() },
  result: {
    earlier: z.string(),
    later: z.string(),
    /** Names; of what is gone, the earlier package's. */
    added: z.array(z.string()),
    removed: z.array(z.string()),
    renamed: z.array(z.strictObject({ from: z.string(), to: z.string() })),
    same: z.array(z.string()),
    /** Files whose sound differs: by how much at most, and where, in seconds from the files' first frame. */
    changed: z.array(
      z.strictObject({
        name: z.string(),
        peakDb: z.number().nullable(),
        spans: z.array(z.strictObject({ fromS: z.number(), toS: z.number() })),
      }),
    ),
  },
  priority: 1,
});
