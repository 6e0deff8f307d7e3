import { parseArgs } from "node:util";
import { AudioStore } from "../server/audio/store";
import { connect } from "../server/db/connect";
import { planTidy, survey, tidy } from "../server/services/tidy";
import { placeOfData, withDatabase } from "./place";

/** Lists what is no longer needed, and removes it when told to; or holds the store against the database. */
async function main(): Promise<void> {
  const { values } = parseArgs({
    options: {
      remove: { type: "boolean", default: false },
      survey: { type: "boolean", default: false },
      verify: { type: "boolean", default: false },
    },
  });
  const root = placeOfData();
  await withDatabase(root, async ({ url }) => {
    const { db, pool } = connect(url, 2);
    try {
      const store = new AudioStore(root);
      if (values.survey || values.verify) {
        const found = await survey(db, store, values.verify);
        console.log(JSON.stringify(found, null, 2));
        if (found.lost.length + found.damaged.length + found.packagesLost.length > 0) process.exitCode = 1;
        return;
      }
      const planned = new Date();
      const plan = await planTidy(db, store, planned);
      const told = values.remove ? await tidy(db, store, plan, planned) : plan;
      for (const { kind, name, bytes, why } of told.items) console.log(`${kind} ${name} ${bytes} bytes: ${why}`);
      const megabytes = (told.bytes / 2 ** 20).toFixed(1);
      console.log(`${told.items.length} things, ${megabytes} MB, ${told.isDone ? "removed" : "would be removed"}`);
    } finally {
      await pool.end();
    }
  });
}

main().catch((error: unknown) => {
  console.error(error instanceof Error ? error.message : error);
  process.exit(1);
});
