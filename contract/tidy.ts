import { z } from "zod";

export const tidyKinds = ["audio", "reshaped", "package", "instruments", "upload", "saved", "job"] as const;

/** Something that is no longer needed. */
const tidyItemSchema = z.strictObject({
  kind: z.enum(tidyKinds),
  /** Hash, id or name of the file. */
  name: z.string(),
  bytes: z.int().min(0),
  why: z.string(),
});

export const tidySchema = z.strictObject({
  /** False: this is what would be removed. */
  isDone: z.boolean(),
  bytes: z.int().min(0),
  items: z.array(tidyItemSchema),
});

export type Tidied = z.infer<typeof tidySchema>;
export type TidyItem = z.infer<typeof tidyItemSchema>;

/** `verify`: every file is read to its end and its bytes held against its name. */
export const surveyQuery = z.strictObject({ verify: z.enum(["yes", "no"]).default("no") });

/** How what is stored and what is written down of it agree. */
export const surveySchema = z.strictObject({
  /** Audio in the database whose file is gone. */
  lost: z.array(z.string()),
  /** Files of audio that the database does not know. */
  unknown: z.array(z.string()),
  /** Files whose bytes are not those that their name says; empty where that was not looked at. */
  damaged: z.array(z.string()),
  /** Handoffs whose package is gone. */
  packagesLost: z.array(z.string()),
  files: z.int().min(0),
  bytes: z.int().min(0),
});

export type Survey = z.infer<typeof surveySchema>;
