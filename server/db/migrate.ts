import { migrate } from "drizzle-orm/node-postgres/migrator";
import { fileURLToPath } from "node:url";
import { runMigrations } from "graphile-worker";
import type { Connected } from "./connect";

/** Brings the database to today's schema: ours, then the queue's own. */
export async function migrateDatabase({ db, pool }: Connected): Promise<void> {
  await migrate(db, { migrationsFolder: fileURLToPath(new URL("./migrations", import.meta.url)) });
  await runMigrations({ pgPool: pool });
}
