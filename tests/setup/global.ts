import { mkdtempSync, rmSync, chmodSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { TestProject } from "vitest/node";
import { buildWorker } from "../../scripts/build";
import { startDatabase } from "../../scripts/database";
import { connect } from "../../server/db/connect";
import { migrateDatabase } from "../../server/db/migrate";

declare module "vitest" {
  interface ProvidedContext {
    /** Address of a database server that is thrown away; `template` in it has today's schema. */
    databaseServer: string;
    /** Folder of the bundled render process. */
    workerFolder: string;
  }
}

const WORKER_FOLDER = "dist/unit";

/** One throw-away PostgreSQL and one bundle of the render process for all test files. */
export default async function setup(project: TestProject): Promise<() => void> {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-test-"));
  chmodSync(folder, 0o755);
  const database = await startDatabase(join(folder, "database"), { disposable: true });
  const admin = connect(database.url, 1);
  await admin.pool.query("create database template_stemzo");
  await admin.pool.end();
  const template = connect(database.urlOf("template_stemzo"), 1);
  await migrateDatabase(template);
  await template.pool.end();
  await buildWorker(WORKER_FOLDER);
  project.provide("databaseServer", database.urlOf("NAME"));
  project.provide("workerFolder", WORKER_FOLDER);
  return () => {
    database.stop();
    rmSync(folder, { recursive: true, force: true });
  };
}
