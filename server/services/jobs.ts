import { randomUUID } from "node:crypto";
import { and, eq, inArray, sql } from "drizzle-orm";
import type { Connection, Db } from "../db/connect";
import { jobs, sessions } from "../db/schema";
import { documentOf, headColumns } from "./documents";
import { announce } from "../events";
import { invalid, notFound } from "../fault";
import type { Job, JobProgress, ServiceFault } from "../../contract/job";
import type { JobRequest, JobResult } from "../../contract/job-kinds";
import { declarationOfJob, impossible } from "../../contract/job-kinds";
import { WAITING, isOver } from "../../contract/job-progress";

type Row = typeof jobs.$inferSelect;

export const toJob = (row: Row): Job => ({
  id: row.id,
  session: row.sessionId ?? "",
  request: row.request,
  status: row.status,
  progress: row.progress,
  result: row.result,
  fault: row.fault,
  attempts: row.attempts,
});

/**
 * Puts a job in the queue; `sessionId` is null for what may be asked for without a session. What can be seen to be
 * impossible is refused now.
 */
export async function requestJob(db: Connection, sessionId: string | null, request: JobRequest): Promise<Job> {
  return db.transaction(async (tx) => {
    const declaration = declarationOfJob(request.kind);
    const [head] =
      sessionId === null
        ? []
        : await tx.select(headColumns).from(sessions).where(eq(sessions.id, sessionId)).for("share");
    if (!head && !(sessionId === null && declaration.alone)) throw notFound("such session");
    if (declaration.impossible && head) {
      const why = impossible(await documentOf(tx, head), request);
      if (why) throw invalid(why.what, why.problems, why.todo);
    }
    if (declaration.once && sessionId !== null) {
      const [waiting] = await tx
        .select()
        .from(jobs)
        .where(
          and(
            eq(jobs.sessionId, sessionId),
            eq(jobs.status, "waiting"),
            sql`${jobs.request}->>'kind' = ${request.kind}`,
          ),
        );
      if (waiting) return toJob(waiting);
    }
    const id = randomUUID();
    const [row] = await tx.insert(jobs).values({ id, sessionId, request, progress: WAITING }).returning();
    if (!row) throw new Error("the job was not stored");
    await tx.execute(
      sql`select graphile_worker.add_job('render', payload := json_build_object('job', ${id}::text), job_key := ${id}::text, max_attempts := 5, priority := ${declaration.priority}::integer)`,
    );
    await announce(tx, { about: "job", session: sessionId ?? "", job: id });
    return toJob(row);
  });
}

export async function readJob(db: Connection, id: string): Promise<Job> {
  const [row] = await db.select().from(jobs).where(eq(jobs.id, id));
  if (!row) throw notFound("such job");
  return toJob(row);
}

/** Jobs that are not over, oldest first. */
export async function activeJobs(db: Db, sessionId: string): Promise<readonly Job[]> {
  const rows = await db
    .select()
    .from(jobs)
    .where(and(eq(jobs.sessionId, sessionId), inArray(jobs.status, ["waiting", "running"])))
    .orderBy(jobs.madeAt);
  return rows.map(toJob);
}

/**
 * Asks for a job to stop. A waiting one stops now, a running one as soon as its worker hears of it; a finished one
 * stays.
 */
export async function cancelJob(db: Db, id: string): Promise<Job> {
  return db.transaction(async (tx) => {
    const [row] = await tx.select().from(jobs).where(eq(jobs.id, id)).for("update");
    if (!row) throw notFound("such job");
    if (isOver(row.status)) return toJob(row);
    if (row.status === "waiting") {
      await tx.execute(sql`select graphile_worker.remove_job(${id})`);
      return endJob(tx, id, { status: "cancelled" });
    }
    await tx.update(jobs).set({ cancelWanted: true }).where(eq(jobs.id, id));
    await announce(tx, { about: "cancel", session: row.sessionId ?? "", job: id });
    return toJob(row);
  });
}

/** Whether the cancel of a running job was requested. */
export async function cancelIsWanted(db: Db, id: string): Promise<boolean> {
  const [row] = await db.select({ wanted: jobs.cancelWanted }).from(jobs).where(eq(jobs.id, id));
  return row?.wanted ?? false;
}

/** Marks a job as begun; null when there is nothing to do because it is over. A job found cancelled is ended here. */
export async function beginJob(db: Db, id: string): Promise<(Job & { readonly madeAt: Date }) | null> {
  return db.transaction(async (tx) => {
    const [row] = await tx.select().from(jobs).where(eq(jobs.id, id)).for("update");
    if (!row || isOver(row.status)) return null;
    if (row.cancelWanted) {
      await endJob(tx, id, { status: "cancelled" });
      return null;
    }
    const [begun] = await tx
      .update(jobs)
      .set({ status: "running", attempts: row.attempts + 1, progress: { ...WAITING, stage: "starting" } })
      .where(eq(jobs.id, id))
      .returning();
    if (!begun) return null;
    await announce(tx, { about: "job", session: row.sessionId ?? "", job: id });
    return { ...toJob(begun), madeAt: begun.madeAt };
  });
}

export async function reportProgress(db: Db, id: string, progress: JobProgress): Promise<void> {
  const [row] = await db
    .update(jobs)
    .set({ progress })
    .where(and(eq(jobs.id, id), eq(jobs.status, "running")))
    .returning();
  if (row) await announce(db, { about: "job", session: row.sessionId ?? "", job: id });
}

export type JobEnd =
  | { readonly status: "done"; readonly result: JobResult }
  | { readonly status: "failed"; readonly fault: ServiceFault }
  | { readonly status: "cancelled" };

/** Another worker has begun the job since, because this one was cut off: its result does not count. */
export class Superseded extends Error {
  override readonly name = "Superseded";
  constructor(id: string) {
    super(`Job ${id} is carried out by another process by now.`);
  }
}

/**
 * Ends a job, together with what else its transaction changes. `attempt`: only if this is still the current one. Throws
 * `Superseded`.
 */
export async function endJob(tx: Connection, id: string, end: JobEnd, attempt?: number): Promise<Job> {
  const [row] = await tx
    .update(jobs)
    .set({
      status: end.status,
      result: end.status === "done" ? end.result : null,
      fault: end.status === "failed" ? end.fault : null,
      progress: { stage: end.status, done: end.status === "done" ? 1 : 0, speed: null, secondsLeft: null },
      endedAt: sql`now()`,
    })
    .where(
      attempt === undefined
        ? eq(jobs.id, id)
        : and(eq(jobs.id, id), eq(jobs.attempts, attempt), eq(jobs.status, "running")),
    )
    .returning();
  if (!row) throw attempt === undefined ? notFound("such job") : new Superseded(id);
  await announce(tx, { about: "job", session: row.sessionId ?? "", job: id });
  return toJob(row);
}
