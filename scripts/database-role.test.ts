import { chmodSync, mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import pg from "pg";
import { runMigrations } from "graphile-worker";
import { afterAll, expect, test } from "vitest";
import { connect } from "../server/db/connect";
import { migrateDatabase } from "../server/db/migrate";
import { startDatabase } from "./database";
import { WORKING_ROLE, prepareRole, workingPassword } from "./database-role";

const folder = mkdtempSync(join(tmpdir(), "stemzo-role-"));
chmodSync(folder, 0o755);
afterAll(() => rmSync(folder, { recursive: true, force: true }));

test("everything works as a role that is no superuser, also where earlier versions made it all as one", async () => {
  const database = await startDatabase(join(folder, "database"), { disposable: true });
  const password = readFileSync(join(folder, "database/password"), "utf8");
  const superOf = (name: string) =>
    database.urlOf(name).replace(`${WORKING_ROLE}:${workingPassword(password)}`, `stemzo:${password}`);
  try {
    // As it was: all of it made by the superuser.
    const earlier = connect(superOf("postgres"), 2);
    await migrateDatabase(earlier);
    await runMigrations({ connectionString: superOf("postgres") });
    await earlier.pool.end();
    await prepareRole(superOf("postgres"), workingPassword(password));

    const client = new pg.Client({ connectionString: database.url });
    await client.connect();
    const one = async (text: string) =>
      Object.values((await client.query<Record<string, unknown>>(text)).rows[0] ?? {})[0];
    expect(
      await one("select rolsuper or rolcreaterole or rolreplication from pg_roles where rolname = current_user"),
    ).toBe(false);
    expect(
      await one(`select count(*)::int from pg_class c join pg_namespace n on n.oid = c.relnamespace
        where n.nspname in ('public', 'drizzle', 'graphile_worker') and c.relowner <> current_user::regrole`),
    ).toBe(0);
    // What a superuser could do to the machine.
    await expect(client.query("copy (select 1) to program 'true'")).rejects.toThrow(/superuser/);
    await expect(client.query("select pg_read_file('/etc/passwd')")).rejects.toThrow(/permission denied/);
    await client.query("select graphile_worker.add_job('x', payload := '{}')");
    expect(await one("select count(*)::int from graphile_worker.jobs")).toBe(1);
    await client.end();
    // And an update of the tables goes on from there.
    const now = connect(database.url, 2);
    await migrateDatabase(now);
    await now.pool.end();
    await runMigrations({ connectionString: database.url });
  } finally {
    database.stop();
  }
}, 120_000);
