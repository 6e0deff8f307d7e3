import { migrate } from "drizzle-orm/node-postgres/migrator";
import { fileURLToPath } from "node:url";
import { runMigrations } from "graphile-worker";
import pg from "pg";
import type { Connected } from "./connect";
import { NOTICED } from "./connect";

/** Held by the process that migrates the database. */
const SETTLING_LOCK = 0x57e4;

/** Brings the database to today's schema: ours, then the queue's own. */
export async function migrateDatabase({ db, pool }: Connected): Promise<void> {
  await migrate(db, { migrationsFolder: fileURLToPath(new URL("./migrations", import.meta.url)) });
  await runMigrations({ pgPool: pool });
}

/** Does what only one process may do at a time, of all that start on the same database. */
export async function alone<T>(url: string, work: () => Promise<T>): Promise<T> {
  const client = new pg.Client({ ...NOTICED, connectionString: url });
  await client.connect();
  try {
    await client.query("select pg_advisory_lock($1)", [SETTLING_LOCK]);
    return await work();
  } finally {
    await client.end();
  }
}
