import { asc, eq } from "drizzle-orm";
import type { InstrumentFile, PresetInFile } from "../../contract/instruments";
import type { Connection, Db } from "../db/connect";
import { instrumentFiles } from "../db/schema";
import { notFound } from "../fault";
import { audioStore } from "./audio";

type Row = typeof instrumentFiles.$inferSelect;
const toFile = ({ hash, madeAt, ...row }: Row): InstrumentFile => ({
  id: hash,
  ...row,
  presets: [...row.presets],
  madeAt: madeAt.toISOString(),
});

/** Every file of instruments, by name. */
export const listInstrumentFiles = async (db: Db): Promise<readonly InstrumentFile[]> =>
  (await db.select().from(instrumentFiles).orderBy(asc(instrumentFiles.name))).map(toFile);

export async function readInstrumentFile(db: Connection, id: string): Promise<InstrumentFile> {
  const [row] = await db.select().from(instrumentFiles).where(eq(instrumentFiles.hash, id));
  if (!row) throw notFound("such file of instruments");
  return toFile(row);
}

/** Enters a file that is in the store. One that is known already stays as it is. */
export async function recordInstrumentFile(
  db: Connection,
  file: { readonly hash: string; readonly name: string; readonly fileName: string; readonly bytes: number },
  presets: readonly PresetInFile[],
): Promise<void> {
  await db
    .insert(instrumentFiles)
    .values({ ...file, presets })
    .onConflictDoNothing();
}

/** Removes a file of instruments. Sessions keep what they play of it: its recordings are theirs. */
export async function deleteInstrumentFile(db: Db, id: string): Promise<InstrumentFile> {
  const file = await readInstrumentFile(db, id);
  await db.delete(instrumentFiles).where(eq(instrumentFiles.hash, id));
  await audioStore().instruments.remove([id]);
  return file;
}
