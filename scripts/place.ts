import { existsSync } from "node:fs";
import { join } from "node:path";
import { defaultDataRoot } from "../server/paths";
import { CHECKOUT } from "./build";
import type { OwnDatabase } from "./database";
import { holdTidying, runningDatabase, startDatabase } from "./database";

/** Where this checkout keeps its data, unless STEMZO_DATA says otherwise. */
export const placeOfData = (): string =>
  process.env["STEMZO_DATA"] ?? defaultDataRoot(CHECKOUT, process.getuid?.() === 0);

/** Works with a database: an external one, or one of some data, as it runs or started for as long as the work takes. */
export async function withDatabase<T>(
  dataRoot: string,
  work: (database: Pick<OwnDatabase, "url" | "holdTidying">) => Promise<T>,
): Promise<T> {
  const url = process.env["STEMZO_DATABASE_URL"] ?? "";
  if (url !== "") return work({ url, holdTidying: () => holdTidying(url) });
  const folder = join(dataRoot, "database");
  if (!existsSync(folder)) throw new Error(`There is no Stemzo data in ${dataRoot}`);
  const runs = runningDatabase(folder);
  if (runs) return work(runs);
  const started = await startDatabase(folder);
  try {
    return await work(started);
  } finally {
    started.stop();
  }
}
