import { drizzle } from "drizzle-orm/node-postgres";
import type { NodePgDatabase } from "drizzle-orm/node-postgres";
import pg from "pg";
import { log } from "../log";
import * as schema from "./schema";

export type Db = NodePgDatabase<typeof schema>;
/** A transaction or the database itself. */
export type Connection = Db | Parameters<Parameters<Db["transaction"]>[0]>[0];

export function databaseUrl(): string {
  const url = process.env["STEMZO_DATABASE"];
  if (!url) throw new Error("STEMZO_DATABASE is not set: start Stemzo with its own script.");
  return url;
}

/**
 * How the database finds out that whoever holds a connection was cut off: within half a minute, so that what is locked
 * through it is let go. PostgreSQL, 20.3.2, TCP settings.
 */
export const NOTICED = {
  keepAlive: true,
  keepAliveInitialDelayMillis: 10_000,
  options: "-c tcp_keepalives_idle=5 -c tcp_keepalives_interval=5 -c tcp_keepalives_count=4 -c tcp_user_timeout=25000",
} as const;

export interface Connected {
  readonly db: Db;
  readonly pool: pg.Pool;
}

export function connect(url: string, size = 10): Connected {
  const pool = new pg.Pool({ ...NOTICED, connectionString: url, max: size });
  // An idle connection lost to a database restart is replaced at the next query; without a handler it would end the
  // process.
  const lost = (error: Error) => log.error(`database connection lost: ${error.message}`);
  pool.on("error", lost);
  pool.on("connect", (client) => client.on("error", lost));
  return { db: drizzle(pool, { schema }), pool };
}

// The development server and the built one load modules more than once: one pool a process.
const holder = globalThis as { stemzoDatabase?: Connected };

/** The process's own connection pool. */
export const database = (): Connected => (holder.stemzoDatabase ??= connect(databaseUrl()));
