import { z } from "zod";

/** A part of the whole: whether it works, and how it is, in a sentence. */
const partSchema = z.strictObject({ ok: z.boolean(), says: z.string() });

/** What stands and what does not, each told apart. */
export const healthSchema = z.strictObject({
  ok: z.boolean(),
  database: partSchema,
  store: partSchema,
  queue: partSchema,
  workers: partSchema,
});

export type Health = z.infer<typeof healthSchema>;
export type HealthPart = z.infer<typeof partSchema>;
