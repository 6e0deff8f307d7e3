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
 * The database ends a connection whose other end was cut off, or was stopped within a transaction: within half a
 * minute, so that what is locked through it is free. PostgreSQL 15, 20.3.2, TCP settings, and 20.11.1.
 */
export const NOTICED = {
  keepAlive: true,
  keepAliveInitialDelayMillis: 10_000,
  options: [
    ...["tcp_keepalives_idle=5", "tcp_keepalives_interval=5", "tcp_keepalives_count=4", "tcp_user_timeout=25000"],
    "idle_in_transaction_session_timeout=25000",
  ]
    .map((setting) => `-c ${setting}`)
    .join(" "),
} as const;

export interface Connected {
  readonly db: Db;
  readonly pool: pg.Pool;
}

/** Says of an error of the network that it was the database which could not be reached. */
class NoConnection extends Error {
  override readonly name = "NoConnection";
}

/** Queries that fail are wrapped by Drizzle; connections, as a transaction takes one, are not by anybody. */
class Pool extends pg.Pool {
  override connect(): Promise<pg.PoolClient>;
  override connect(taken: Parameters<pg.Pool["connect"]>[0]): void;
  override connect(taken?: Parameters<pg.Pool["connect"]>[0]): Promise<pg.PoolClient> | void {
    if (taken) return super.connect(taken);
    return super.connect().catch((cause: unknown) => {
      throw new NoConnection("no connection to the database", { cause });
    });
  }
}

/**
 * Whether something failed because the database was not there, or went while it was asked. What it answered itself,
 * and what another store did, is something else.
 */
export function isDatabaseAway(error: unknown): boolean {
  let isOfDatabase = false;
  for (let at = error, depth = 0; at instanceof Error && depth < 6; at = at.cause, depth++) {
    // By its form and not its class: the built server loads modules more than once.
    isOfDatabase ||= at.name === "NoConnection" || ("query" in at && "params" in at);
    const { code = "" } = at as NodeJS.ErrnoException;
    if (isOfDatabase && (AWAY.has(code) || WENT.test(at.message))) return true;
  }
  return false;
}

/**
 * PostgreSQL, Appendix A: class 08, connection exceptions; 57P01 to 57P03, it is told to stop, has crashed, or is
 * starting; 53300, it has no room for another; 25P03, a transaction stood still for too long. The rest are of POSIX.
 */
const AWAY: ReadonlySet<string> = new Set([
  ...["08000", "08001", "08003", "08004", "08006", "57P01", "57P02", "57P03", "53300", "25P03"],
  ...["ECONNREFUSED", "ECONNRESET", "ECONNABORTED", "EPIPE", "ETIMEDOUT", "EHOSTUNREACH", "ENETUNREACH"],
]);
/** What the driver says where it has no code. */
const WENT = /^(Connection terminated|Client has encountered a connection error|Client was closed)/;

export function connect(url: string, size = 10): Connected {
  const pool = new Pool({ ...NOTICED, connectionString: url, max: size });
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
