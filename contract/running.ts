import { z } from "zod";
import type { Frozen } from "../core/session/document";
import { healthSchema } from "./health";
import { faultSchema, jobStatusSchema } from "./job";

const time = z.string();

/** Times are of the database, as ISO 8601 texts. */
const nowSchema = z.strictObject({
  /** How many jobs are in which state. */
  jobs: z.record(jobStatusSchema, z.int().min(0)),
  /** Seconds since the oldest that waits was asked for; null: none waits. */
  oldestS: z.number().nullable(),
  /** Audio time over wall time, the median of the last exports; null: there was none. */
  speed: z.number().nullable(),
  workers: z.array(z.strictObject({ host: z.string(), seenAt: time, isAlive: z.boolean() })),
  /** The latest first. */
  failures: z.array(
    z.strictObject({
      job: z.string(),
      kind: z.string(),
      session: z.string().nullable(),
      sessionName: z.string().nullable(),
      at: time,
      fault: faultSchema,
    }),
  ),
  disk: z.strictObject({ freeBytes: z.int(), bytes: z.int() }),
  storeBytes: z.int(),
});

/** System status; `now`: null while the database does not answer. */
export const runningSchema = z.strictObject({ health: healthSchema, now: nowSchema.nullable() });

export type Running = Frozen<z.infer<typeof runningSchema>>;
