import { buildAll } from "../../scripts/build";
import { freePort } from "../../scripts/database";
import type { Part } from "../../scripts/serve";
import { serve } from "../../scripts/serve";
import { hashPassword } from "../../server/access/secrets";
import { AudioStore } from "../../server/audio/store";

/**
 * What a machine of the test runs: the parts that its arguments name, as `npm run web` and `npm run worker` do, of the
 * build that the tests have. Writes its address, or that it is up.
 */
async function main(): Promise<void> {
  const parts = process.argv.slice(2) as Part[];
  const { STEMZO_DATABASE_URL: databaseUrl = "", STEMZO_DATA: dataRoot = "", STEMZO_HOST: host = "" } = process.env;
  await new AudioStore(dataRoot).prepare(false);
  const served = await serve({
    build: await buildAll("test"),
    parts,
    port: await freePort(),
    host,
    settings: { STEMZO_PASSWORD_HASH: await hashPassword(process.env["STEMZO_PASSWORD"] ?? "") },
    databaseUrl,
    dataRoot,
    log: () => undefined,
  });
  console.log(`up ${served.address}`);
  process.once("SIGTERM", () => void served.stop().then(() => process.exit(0)));
}

main().catch((error: unknown) => {
  console.error(error);
  process.exit(1);
});
