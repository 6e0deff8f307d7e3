import { chmodSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { seedDemo } from "../demo/seed";
import { AudioStore } from "../server/audio/store";
import { connect } from "../server/db/connect";
import { migrateDatabase } from "../server/db/migrate";
import { buildAll } from "./build";
import { freePort, startDatabase } from "./database";
import { serve } from "./serve";

export interface Disposable {
  readonly address: string;
  /** Where the database's own files are. */
  readonly databaseFolder: string;
  readonly databaseUrl: string;
  readonly webPid: number;
  readonly dataRoot: string;
  /** Folder of the built pages. */
  readonly web: string;
  stop(): Promise<readonly string[]>;
}

/** The whole of Stemzo with its demo, on data that is thrown away at the end. `stop` returns what the servers said. */
export async function startDisposable(): Promise<Disposable> {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-e2e-"));
  chmodSync(folder, 0o755);
  const databaseFolder = join(folder, "database");
  const database = await startDatabase(databaseFolder, { disposable: true });
  // What goes wrong is enough: there are thousands of requests.
  process.env["STEMZO_LOG"] ??= "warn";
  const log: string[] = [];
  database.keepAlive((line) => log.push(line));
  const connected = connect(database.url, 2);
  await migrateDatabase(connected);
  await new AudioStore(folder).prepare(true);
  await seedDemo(connected.db, folder);
  await connected.pool.end();
  const build = await buildAll("test");
  const served = await serve({
    build,
    port: await freePort(),
    databaseUrl: database.url,
    dataRoot: folder,
    log: (line, part) => log.push(`${part}: ${line}`),
  });
  return {
    address: served.address,
    databaseFolder,
    databaseUrl: database.url,
    webPid: served.webPid,
    dataRoot: folder,
    web: build.web,
    stop: async () => {
      await served.stop();
      database.stop();
      rmSync(folder, { recursive: true, force: true });
      return log;
    },
  };
}
