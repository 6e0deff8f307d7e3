import { chmodSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { seedDemo } from "../../demo/seed";
import { buildAll } from "../../scripts/build";
import { freePort, startDatabase } from "../../scripts/database";
import { serve } from "../../scripts/serve";
import { AudioStore } from "../../server/audio/store";
import { connect } from "../../server/db/connect";
import { migrateDatabase } from "../../server/db/migrate";

/** The whole of Stemzo on data that is thrown away: database, web server, render process, demo. */
export default async function globalSetup(): Promise<() => Promise<void>> {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-e2e-"));
  chmodSync(folder, 0o755);
  const database = await startDatabase(join(folder, "database"), { disposable: true });
  const connected = connect(database.url, 2);
  await migrateDatabase(connected);
  await new AudioStore(folder).prepare(true);
  await seedDemo(connected.db, folder);
  await connected.pool.end();
  const log: string[] = [];
  const served = await serve({ build: await buildAll("test"), port: await freePort(), databaseUrl: database.url, dataRoot: folder, log: (line) => log.push(line) });
  process.env["STEMZO_ADDRESS"] = served.address;
  return async () => {
    await served.stop();
    database.stop();
    rmSync(folder, { recursive: true, force: true });
    const errors = log.filter((line) => /error|unhandled/i.test(line));
    if (errors.length > 0) console.log(`The servers said:\n${errors.slice(0, 20).join("\n")}`);
  };
}
