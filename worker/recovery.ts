import { hostname } from "node:os";
import { inArray, sql } from "drizzle-orm";
import pg from "pg";
import type { Connection, Db } from "../server/db/connect";
import { NOTICED, databaseUrl } from "../server/db/connect";
import { renderProcesses } from "../server/db/schema";
import { endJob } from "../server/services/jobs";

/** Advisory locks of render processes live in a space of their own. */
const LOCK_SPACE = 0x57e3;

/** How often a render process sends a heartbeat. */
const HEARTBEAT_MS = 4000;
/**
 * A render process that sends no heartbeat for this time loses its jobs. Its connection may still be open, as that of a
 * stopped process is. By the database's clock.
 */
const LEASE = "30 seconds";
/** After this time without an answer the connection to the database is given up. */
const SILENT_MS = 25_000;

/**
 * Announces a render process: it holds an advisory lock for as long as its connection lives, so that anyone can tell
 * a process that died, however it died, from one that is busy. Resolves when the lock is held.
 */
export async function announceProcess(poolId: string, lost: (error: Error) => void): Promise<() => Promise<void>> {
  const client = new pg.Client({ ...NOTICED, connectionString: databaseUrl(), query_timeout: SILENT_MS });
  let leaving = false;
  const onLost = (error?: Error) => {
    if (!leaving) lost(error ?? new Error("the connection ended"));
  };
  client.on("error", onLost);
  client.on("end", () => onLost());
  await client.connect();
  // One transaction: the row is visible only once the lock is held, so a starting process is not taken for a dead one.
  await client.query("begin");
  const { rows } = await client.query<{ lock: number }>(
    "insert into render_processes (pool_id, host) values ($1, $2) returning lock",
    [poolId, hostname()],
  );
  await client.query("select pg_advisory_lock($1, $2)", [LOCK_SPACE, rows[0]?.lock]);
  await client.query("commit");
  // Over the connection that holds the lock: who cannot be heard there is lost. So is one whose row is gone: it was
  // held up for longer than its lease, and others have its jobs.
  const heart = setInterval(() => {
    void client.query("update render_processes set seen_at = now() where pool_id = $1", [poolId]).then(
      ({ rowCount }) => rowCount === 0 && onLost(new Error("this process was held up, and its jobs went to others")),
      (error: Error) => onLost(error),
    );
  }, HEARTBEAT_MS);
  return async () => {
    leaving = true;
    clearInterval(heart);
    await client.query("delete from render_processes where pool_id = $1", [poolId]).catch(() => undefined);
    await client.end().catch(() => undefined);
  };
}

/**
 * Gives the jobs of processes that are no longer alive back to the queue. Returns how many processes were found dead.
 */
export async function releaseDead(db: Db): Promise<number> {
  return db.transaction(async (tx) => {
    const dead = await tx
      .select({ poolId: renderProcesses.poolId })
      .from(renderProcesses)
      .where(
        sql`${renderProcesses.seenAt} < now() - ${LEASE}::interval or pg_try_advisory_xact_lock(${LOCK_SPACE}, ${renderProcesses.lock})`,
      )
      .for("update", { skipLocked: true });
    const ids = dead.map((d) => d.poolId);
    if (ids.length > 0) await tx.delete(renderProcesses).where(inArray(renderProcesses.poolId, ids));
    // One that died in the moment before it announced itself is known only by the jobs it holds.
    const { rows } = await tx.execute<{ locked_by: string }>(sql`
      select distinct locked_by from graphile_worker._private_jobs
      where locked_at < now() - interval '30 seconds' and locked_by not in (select pool_id from render_processes)`);
    const all = [...new Set([...ids, ...rows.map((r) => r.locked_by)])];
    if (all.length > 0) await tx.execute(sql`select graphile_worker.force_unlock_workers(${sql.param(all)}::text[])`);
    await giveUp(tx);
    return all.length;
  });
}

/** Jobs that ended one worker after the other are not begun again: they fail. */
async function giveUp(tx: Connection): Promise<void> {
  const { rows } = await tx.execute<{ id: string; attempts: number }>(sql`
    select j.id, p.attempts from jobs j join graphile_worker._private_jobs p on p.key = j.id
    where j.status in ('waiting', 'running') and p.locked_at is null and p.attempts >= p.max_attempts`);
  for (const { id, attempts } of rows) {
    await endJob(tx, id, {
      status: "failed",
      fault: {
        what: `This was begun ${attempts} times, and each time the render process was lost.`,
        kept: "The session is as it was; nothing half-made was kept.",
        todo: "Try again. If it happens again, the machine may have too little memory for it.",
        problems: [],
      },
    });
    await tx.execute(sql`select graphile_worker.remove_job(${id})`);
  }
}
