import { z } from "zod";
import { sentFileSchema } from "../intake";
import { jobKind } from "./kind";

/** Keeps files of instruments for all sessions. */
export const addInstruments = jobKind({
  request: { files: z.array(sentFileSchema).min(1).max(5000) },
  result: {
    files: z.array(z.strictObject({ id: z.string(), name: z.string(), presets: z.int() })),
    /** Files that are no instruments, each with the reason. */
    left: z.array(z.strictObject({ name: z.string(), why: z.string() })),
  },
  priority: 0,
  alone: true,
});
