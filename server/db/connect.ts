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

export interface Connected {
  readonly db: Db;
  readonly pool: pg.Pool;
}

export function connect(url: string, size = 10): Connected {
  const pool = new pg.Pool({ connectionString: url, max: size });
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
