import { randomUUID } from "node:crypto";
import { rm } from "node:fs/promises";
import { madeBy } from "../../core/printing/step";
import type { BroughtIn } from "../../core/session/import";
import { importStep, plainName } from "../../core/session/import";
import { recordAudio } from "../../server/services/audio";
import { readDocument } from "../../server/services/sessions";
import { appendStep } from "../../server/services/steps";
import type { CarryOut } from "../context/job-context";
import { NothingReadable, done } from "../context/job-context";
import type { ImportedFile } from "../import/import-file";
import { TaskFailed } from "../threads/thread-messages";

/** A reader that has not come further for so long is at a loss, and is ended. */
const READ_STALL_MS = 30_000;

/** Brings files in, each as one or several of the engine's own, and places them as one step. */
export const bringIn: CarryOut<"import"> = async (job, request, { db, store, pool, signal, report }) => {
  const { document } = await readDocument(db, job.session);
  const made: { readonly name: string; readonly imported: ImportedFile }[] = [];
  const left: { name: string; why: string }[] = [];
  const leftovers: string[] = [];
  try {
    for (const [i, { upload, name }] of request.files.entries()) {
      const to = store.unfinished();
      leftovers.push(to);
      const stage =
        request.files.length === 1 ? `reading ${name}` : `reading ${name}, ${i + 1} of ${request.files.length}`;
      try {
        const imported = await pool.run<"import">(
          { kind: "import", from: await store.uploads.local(upload), to, name: plainName(name), rate: document.rate },
          {
            signal,
            stallMs: READ_STALL_MS,
            onProgress: (thousandths) =>
              report({ stage, done: (i + thousandths / 1000) / request.files.length, speed: null, secondsLeft: null }),
          },
        );
        for (const [c, one] of imported.entries()) {
          made.push({ name: imported.length === 1 ? name : `${plainName(name)} ${c + 1}`, imported: one });
          leftovers.push(one.file.path);
        }
      } catch (error) {
        // One file that cannot be read, or that takes its reader with it, does not keep the others out; it is named at
        // the end.
        if (!(error instanceof TaskFailed) || error.fault.kind === "cancelled") throw error;
        left.push({
          name,
          why:
            error.fault.kind === "malformed file"
              ? error.fault.message
              : `Reading it failed: ${error.fault.message.split("\n")[0] ?? "for no known reason"}`,
        });
      }
    }
    if (made.length === 0) throw new NothingReadable(left);
    const kept = await Promise.all(
      made.map(async ({ name, imported }) => ({
        name,
        imported,
        hash: await store.adopt(imported.file.path, imported.file.sha256),
      })),
    );
    await db.transaction(async (tx) => {
      const files: BroughtIn[] = [];
      for (const {
        name,
        imported: { file, timeReference },
        hash,
      } of kept) {
        await recordAudio(tx, hash, { ...file, timeReference });
        files.push({
          timeReference,
          asset: {
            id: hash,
            name: plainName(name),
            frames: file.frames,
            rate: file.format.rate,
            channels: file.format.channels,
            origin: "imported",
          },
        });
      }
      let put = madeBy([]);
      await appendStep(tx, job.session, job.id, (now) => {
        const step = importStep(now, files, request, randomUUID);
        put = madeBy(step?.edits ?? []);
        return step;
      });
      await done(tx, job, {
        kind: "import",
        made: put,
        left,
        files: kept.map(({ name, imported, hash }) => ({
          name,
          asset: hash,
          was: imported.kind,
          rate: imported.rate,
          converted: imported.rate !== document.rate,
          frames: imported.file.frames,
          timeReference: imported.timeReference,
        })),
      });
    });
    await store.uploads.remove(request.files.map((f) => f.upload));
  } finally {
    await Promise.all(leftovers.map((path) => rm(path, { force: true })));
  }
};
