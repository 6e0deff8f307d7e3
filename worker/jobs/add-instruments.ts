import { sha256OfFile } from "../../server/audio/files";
import { recordInstrumentFile } from "../../server/services/instruments";
import type { CarryOut } from "../context/job-context";
import { NothingReadable, done } from "../context/job-context";
import type { InstrumentsInFile } from "../instruments/sound-font";
import { TaskFailed } from "../threads/thread-messages";
import { stat } from "node:fs/promises";

/** A reader that has not come further for so long is at a loss, and is ended. */
const STALL_MS = 30_000;

/** Keeps files of instruments, each as it came; their recordings are made when one is placed. */
export const addInstruments: CarryOut<"add instruments"> = async (
  job,
  { files },
  { db, store, pool, signal, report },
) => {
  const read: { readonly upload: string; readonly path: string; readonly found: InstrumentsInFile }[] = [];
  const left: { name: string; why: string }[] = [];
  for (const [i, { upload, path }] of files.entries()) {
    report({ stage: `reading ${path}`, done: i / files.length, speed: null, secondsLeft: null });
    try {
      const found = await pool.run<"read instruments">(
        { kind: "read instruments", path: await store.uploads.local(upload) },
        { signal, stallMs: STALL_MS },
      );
      read.push({ upload, path, found });
    } catch (error) {
      if (!(error instanceof TaskFailed) || error.fault.kind === "cancelled") throw error;
      left.push({ name: path, why: error.fault.message.split("\n")[0] ?? "it cannot be read" });
    }
  }
  if (read.length === 0) throw new NothingReadable(left);
  const kept: { hash: string; name: string; fileName: string; bytes: number; found: InstrumentsInFile }[] = [];
  for (const { upload, path, found } of read) {
    const from = await store.uploads.local(upload);
    const [hash, { size }] = [await sha256OfFile(from), await stat(from)];
    const fileName = path.replace(/^.*[/\\]/, "").slice(0, 300);
    await store.instruments.put(hash, from);
    kept.push({ hash, name: found.name || fileName.replace(/\.[^.]*$/, ""), fileName, bytes: size, found });
  }
  await db.transaction(async (tx) => {
    for (const { found, ...file } of kept) await recordInstrumentFile(tx, file, found.presets);
    await done(tx, job, {
      kind: "add instruments",
      files: kept.map(({ hash, name, found }) => ({ id: hash, name, presets: found.presets.length })),
      left,
    });
  });
  await store.uploads.remove(files.map((f) => f.upload));
};
