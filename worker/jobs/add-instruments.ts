import { rm, stat } from "node:fs/promises";
import type { Blobs } from "../../server/audio/blobs";
import { ZipWriter } from "../../server/packages/zip";
import { sha256OfFile } from "../../server/audio/files";
import { recordInstrumentFile } from "../../server/services/instruments";
import type { CarryOut } from "../context/job-context";
import { NothingReadable, done } from "../context/job-context";
import type { InstrumentsInFile } from "../instruments/make";
import { TaskFailed } from "../threads/thread-messages";

/** A reader that has not come further for so long is at a loss, and is ended. */
const STALL_MS = 30_000;

/** Files that are instruments by themselves; others lie beside an SFZ. */
const BY_ITSELF = /\.(sf2|sf3|zip)$/i;
/** In the heads of a folder's ZIP, so that the same files are the same ZIP. */
const NO_DATE = new Date(Date.UTC(1980, 0, 1));

/** A file on its way: as it was sent, or a folder of SFZ files packed into one. */
interface Arriving {
  readonly path: string;
  readonly local: string;
}

/** Keeps files of instruments; their recordings are made when a preset is put on a track. */
export const addInstruments: CarryOut<"add instruments"> = async (
  job,
  { files },
  { db, store, pool, signal, report },
) => {
  const beside = files.filter((f) => !BY_ITSELF.test(f.path));
  const isFolder = beside.some((f) => /\.sfz$/i.test(f.path));
  const folder = isFolder ? store.unfinished() : null;
  const read: (Arriving & { readonly found: InstrumentsInFile })[] = [];
  const left: { name: string; why: string }[] = [];
  try {
    const arriving: Arriving[] = [];
    for (const { upload, path } of isFolder ? files.filter((f) => !beside.includes(f)) : files)
      arriving.push({ path, local: await store.uploads.local(upload) });
    if (folder !== null) {
      report({ stage: "packing the folder", done: 0, speed: null, secondsLeft: null });
      const sfz = beside.find((f) => /\.sfz$/i.test(f.path))?.path ?? "";
      await packed(beside, folder, store.uploads, signal);
      arriving.push({ path: sfz, local: folder });
    }
    for (const [i, { path, local }] of arriving.entries()) {
      report({ stage: `reading ${path}`, done: i / arriving.length, speed: null, secondsLeft: null });
      try {
        const found = await pool.run<"read instruments">(
          { kind: "read instruments", path: local },
          { signal, stallMs: STALL_MS },
        );
        read.push({ path, local, found });
      } catch (error) {
        if (!(error instanceof TaskFailed) || error.fault.kind === "cancelled") throw error;
        left.push({ name: path, why: error.fault.message.split("\n")[0] ?? "it cannot be read" });
      }
    }
    if (read.length === 0) throw new NothingReadable(left);
    const kept: { hash: string; name: string; fileName: string; bytes: number; found: InstrumentsInFile }[] = [];
    for (const { local, path, found } of read) {
      const [hash, { size }] = [await sha256OfFile(local), await stat(local)];
      const fileName = path.replace(/^.*[/\\]/, "").slice(0, 300);
      await store.instruments.put(hash, local);
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
  } finally {
    if (folder !== null) await rm(folder, { force: true });
  }
};

/** A folder of SFZ files and their recordings as one ZIP, each as it is. */
async function packed(
  files: readonly { readonly upload: string; readonly path: string }[],
  to: string,
  uploads: Blobs,
  signal: AbortSignal,
): Promise<void> {
  const zip = await ZipWriter.create(to, NO_DATE);
  try {
    for (const { upload, path } of files) {
      const local = await uploads.local(upload);
      const { size } = await stat(local);
      const name = path.replace(/\\/g, "/").replace(/^\/+/, "");
      await zip.addFile(name, { path: local, start: 0, bytes: size }, () => signal.throwIfAborted());
    }
    await zip.finish();
  } catch (error) {
    await zip.abandon();
    throw error;
  }
}
