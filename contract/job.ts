import { z } from "zod";
import type { Frozen } from "../core/session/document";
import { jobRequestSchema, jobResultSchema } from "./job-kinds";

export const jobStatusSchema = z.enum(["waiting", "running", "done", "failed", "cancelled"]);
export type JobStatus = z.infer<typeof jobStatusSchema>;

/** `stage` in words for a person; `speed` is audio time over wall time of the pass so far. */
export const jobProgressSchema = z.strictObject({
  stage: z.string(),
  done: z.number().min(0).max(1),
  speed: z.number().nullable(),
  secondsLeft: z.number().nullable(),
});
export type JobProgress = Frozen<z.infer<typeof jobProgressSchema>>;

/** What happened, what was kept, what to do: the three sentences every error ends in. */
export const faultSchema = z.strictObject({
  what: z.string(),
  kept: z.string(),
  todo: z.string(),
  problems: z.array(z.strictObject({ where: z.string(), what: z.string() })),
});
export type ServiceFault = Frozen<z.infer<typeof faultSchema>>;

export const jobSchema = z.strictObject({
  id: z.string(),
  session: z.string(),
  request: jobRequestSchema,
  status: jobStatusSchema,
  progress: jobProgressSchema,
  result: jobResultSchema.nullable(),
  fault: faultSchema.nullable(),
  attempts: z.int(),
});
export type Job = Frozen<z.infer<typeof jobSchema>>;
