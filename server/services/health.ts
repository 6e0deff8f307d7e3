import { rm, statfs, writeFile } from "node:fs/promises";
import pg from "pg";
import type { Health, HealthPart } from "../../contract/health";
import { AudioStore } from "../audio/store";
import { databaseUrl } from "../db/connect";
import { ROOM_KEPT_BYTES } from "../limits";
import { dataRoot, unfinishedFolder } from "../paths";

/** Timeout of each check, so that the answer comes even when a part hangs. */
const WITHIN_MS = 1500;
/** A worker tells that it lives every few seconds; one that has not for so long is at a loss. */
export const WORKER_SILENT_S = 20;

/** A connection of its own: where all others hang or are taken, it still tells. */
const holder = globalThis as { stemzoHealth?: pg.Pool };
const probe = (): pg.Pool => {
  if (holder.stemzoHealth) return holder.stemzoHealth;
  const pool = new pg.Pool({
    connectionString: databaseUrl(),
    max: 1,
    connectionTimeoutMillis: WITHIN_MS,
    query_timeout: WITHIN_MS,
  });
  pool.on("error", () => undefined);
  return (holder.stemzoHealth = pool);
};

/** Looks at everything that has to stand, at once; answers within two seconds. */
export async function health(): Promise<Health> {
  const [seen, store] = await Promise.all([within(looked(), null), within(storeHealth(), null)]);
  const none: HealthPart = { ok: false, says: "not known: the database does not answer" };
  const parts = {
    database: seen ? fine("answers") : failing("does not answer"),
    store: store ?? failing("does not answer"),
    queue: seen ? queueHealth(seen) : none,
    workers: seen ? workerHealth(seen) : none,
  };
  return { ok: Object.values(parts).every((p) => p.ok), ...parts };
}

interface Seen {
  readonly waiting: number;
  readonly running: number;
  /** Seconds since the oldest that waits was asked for; null: none waits. */
  readonly oldestS: number | null;
  readonly workers: number;
  /** Seconds since the worker that was heard last told that it lives. */
  readonly heardS: number | null;
}

async function looked(): Promise<Seen> {
  const { rows } = await probe().query<{
    waiting: string;
    running: string;
    oldest: number | null;
    workers: string;
    heard: number | null;
  }>(`
    select count(*) filter (where status = 'waiting') as waiting,
      count(*) filter (where status = 'running') as running,
      (extract(epoch from now() - min(made_at) filter (where status = 'waiting')))::float8 as oldest,
      (select count(*) from render_processes) as workers,
      (select extract(epoch from now() - max(seen_at))::float8 from render_processes) as heard
    from jobs where status in ('waiting', 'running')`);
  const [row] = rows;
  return {
    waiting: Number(row?.waiting ?? 0),
    running: Number(row?.running ?? 0),
    oldestS: row?.oldest ?? null,
    workers: Number(row?.workers ?? 0),
    heardS: row?.heard ?? null,
  };
}

function workerHealth({ workers, heardS }: Seen): HealthPart {
  if (workers === 0 || heardS === null) return failing("none runs");
  if (heardS > WORKER_SILENT_S) return failing(`none has told for ${Math.round(heardS)} s that it lives`);
  return fine(workers === 1 ? "one runs" : `${workers} run`);
}

function queueHealth({ waiting, running, oldestS }: Seen): HealthPart {
  const since =
    oldestS === null
      ? ""
      : `, the oldest for ${oldestS < 120 ? `${Math.round(oldestS)} s` : `${Math.round(oldestS / 60)} min`}`;
  return fine(`${running} under way, ${waiting} waiting${since}`);
}

async function storeHealth(): Promise<HealthPart> {
  const store = new AudioStore(dataRoot());
  const bucket = await store.checkBucket().catch(() => undefined);
  if (bucket === undefined) return failing("the bucket does not answer");
  const folder = unfinishedFolder(dataRoot());
  const { bavail, bsize } = await statfs(folder);
  const free = bavail * bsize;
  const gigabytes = `${(free / 1e9).toFixed(1)} GB free`;
  if (free < ROOM_KEPT_BYTES) return failing(`the disk is nearly full: ${gigabytes}`);
  const path = store.unfinished();
  try {
    await writeFile(path, "");
  } catch {
    return failing(`nothing can be written to it; ${gigabytes}`);
  } finally {
    await rm(path, { force: true }).catch(() => undefined);
  }
  return fine(bucket === null ? gigabytes : `the bucket ${bucket} answers; ${gigabytes} here`);
}

const fine = (says: string): HealthPart => ({ ok: true, says });
const failing = (says: string): HealthPart => ({ ok: false, says });

/** What comes in time, else something else; what fails too. */
async function within<T, E>(work: Promise<T>, otherwise: E): Promise<T | E> {
  let timer: ReturnType<typeof setTimeout> | undefined;
  const late = new Promise<E>((resolve) => {
    timer = setTimeout(() => resolve(otherwise), WITHIN_MS);
  });
  try {
    return await Promise.race([work.catch(() => otherwise), late]);
  } finally {
    clearTimeout(timer);
  }
}
