import { statfs } from "node:fs/promises";
import { desc, eq, sql } from "drizzle-orm";
import type { Running } from "../../contract/running";
import type { Db } from "../db/connect";
import { handoffs, jobs, renderProcesses, sessions } from "../db/schema";
import { dataRoot } from "../paths";
import { WORKER_SILENT_S } from "./health";

const MOST_FAILURES = 20;
/** The speed of so many exports says how fast this machine is. */
const MOST_SPEEDS = 21;

/** How everything runs, as the database has it: waits for as long as that does not answer. */
export async function runningState(db: Db): Promise<NonNullable<Running["now"]>> {
  const [counts, failures, workers, speeds, stored, { bavail, blocks, bsize }] = await Promise.all([
    db
      .select({
        status: jobs.status,
        count: sql<number>`count(*)::int`,
        oldestS: sql<number | null>`extract(epoch from now() - min(${jobs.madeAt}))::float8`,
      })
      .from(jobs)
      .groupBy(jobs.status),
    db
      .select({
        ...{ job: jobs.id, request: jobs.request, session: jobs.sessionId, fault: jobs.fault, at: jobs.endedAt },
        sessionName: sessions.name,
      })
      .from(jobs)
      .leftJoin(sessions, eq(sessions.id, jobs.sessionId))
      .where(eq(jobs.status, "failed"))
      .orderBy(desc(jobs.endedAt))
      .limit(MOST_FAILURES),
    db
      .select({
        host: renderProcesses.host,
        seenAt: renderProcesses.seenAt,
        isAlive: sql<boolean>`${renderProcesses.seenAt} > now() - make_interval(secs => ${WORKER_SILENT_S})`,
      })
      .from(renderProcesses)
      .orderBy(renderProcesses.lock),
    db.select({ speed: handoffs.speed }).from(handoffs).orderBy(desc(handoffs.madeAt)).limit(MOST_SPEEDS),
    db.execute<{ bytes: string }>(sql`select coalesce(sum(bytes), 0) as bytes from assets`),
    statfs(dataRoot()),
  ]);
  const sorted = speeds.map((s) => s.speed).sort((a, b) => a - b);
  return {
    jobs: {
      ...{ waiting: 0, running: 0, done: 0, failed: 0, cancelled: 0 },
      ...Object.fromEntries(counts.map((c) => [c.status, c.count])),
    },
    oldestS: counts.find((c) => c.status === "waiting")?.oldestS ?? null,
    speed: sorted[Math.floor(sorted.length / 2)] ?? null,
    workers: workers.map((w) => ({ ...w, seenAt: w.seenAt.toISOString() })),
    failures: failures.flatMap(({ job, request, session, sessionName, fault, at }) =>
      fault && at ? [{ job, kind: request.kind, session, sessionName, fault, at: at.toISOString() }] : [],
    ),
    disk: { freeBytes: bavail * bsize, bytes: blocks * bsize },
    storeBytes: Number(stored.rows[0]?.bytes ?? 0),
  };
}
