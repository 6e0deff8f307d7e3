import { rm } from "node:fs/promises";
import { madeBy } from "../../core/printing/step";
import type { Supplied } from "../../core/session/supply";
import { matchMissing, missingAssets, missingChannel, supplyStep } from "../../core/session/supply";
import { recordAudio } from "../../server/services/audio";
import { readDocument } from "../../server/services/sessions";
import { appendStep } from "../../server/services/steps";
import type { CarryOut } from "../context/job-context";
import { NothingReadable, done } from "../context/job-context";
import type { ImportedFile } from "../import/import-file";
import { TaskFailed } from "../threads/thread-messages";

/** A reader that has not come further for so long is at a loss, and is ended. */
const STALL_MS = 30_000;

export const supply: CarryOut<"supply"> = async (job, { files }, { db, store, pool, signal, report }) => {
  const { document } = await readDocument(db, job.session);
  const missing = missingAssets(document);
  const matched = matchMissing(
    missing,
    files.map((f) => f.path),
  );
  const used = new Set(matched.values());
  const left = files.flatMap(({ path }, i) =>
    used.has(i) ? [] : [{ name: path, why: "no missing file is called like it" }],
  );
  const made: { readonly missing: string; readonly name: string; readonly imported: ImportedFile }[] = [];
  const scratch: string[] = [];
  try {
    for (const [i, [id, at]] of [...matched].entries()) {
      const asset = missing.find((m) => m.id === id);
      const file = files[at];
      if (!asset || !file) continue;
      const to = store.unfinished();
      scratch.push(to);
      const channel = missingChannel(asset.name);
      report({ stage: `reading ${file.path}`, done: i / matched.size, speed: null, secondsLeft: null });
      try {
        const [imported, ...more] = await pool.run<"import">(
          {
            kind: "import",
            from: await store.uploads.local(file.upload),
            to,
            name: asset.name,
            rate: document.rate,
            ...(channel === null ? {} : { pick: channel }),
          },
          { signal, stallMs: STALL_MS },
        );
        scratch.push(...[imported, ...more].flatMap((m) => m?.file.path ?? []));
        if (!imported || more.length > 0) left.push({ name: file.path, why: "it has more channels than are played" });
        else if (imported.file.frames < asset.frames)
          left.push({ name: file.path, why: `it is ${asset.frames - imported.file.frames} frames too short` });
        else made.push({ missing: id, name: file.path, imported });
      } catch (error) {
        if (!(error instanceof TaskFailed) || error.fault.kind === "cancelled") throw error;
        left.push({ name: file.path, why: error.fault.message.split("\n")[0] ?? "it cannot be read" });
      }
    }
    if (made.length === 0) throw new NothingReadable(left);
    const supplied: (Supplied & { readonly imported: ImportedFile })[] = [];
    for (const { missing: id, name, imported } of made) {
      const { frames, format } = imported.file;
      const hash = await store.adopt(imported.file.path, imported.file.sha256);
      const called = name.replace(/^.*\//, "").slice(0, 200);
      const asset = { id: hash, name: called, frames, rate: format.rate, channels: format.channels } as const;
      supplied.push({ missing: id, asset: { ...asset, origin: "imported" }, imported });
    }
    await db.transaction(async (tx) => {
      for (const { asset, imported } of supplied)
        await recordAudio(tx, asset.id, { ...imported.file, timeReference: imported.timeReference });
      let put = madeBy([]);
      let still = missing.length;
      await appendStep(tx, job.session, job.id, (now) => {
        // What was undone or supplied meanwhile is not missing any more.
        const wanted = new Set(missingAssets(now).map((a) => a.id));
        const step = supplyStep(
          now,
          supplied.filter((s) => wanted.has(s.missing)),
        );
        put = madeBy(step.edits);
        still = wanted.size - supplied.filter((s) => wanted.has(s.missing)).length;
        return step.edits.length === 0 ? null : step;
      });
      const names = supplied.map((s) => s.asset.name);
      await done(tx, job, { kind: "supply", made: put, supplied: names, missing: still, left });
    });
    await store.uploads.remove(files.map((f) => f.upload));
  } finally {
    await Promise.all(scratch.map((path) => rm(path, { force: true })));
  }
};
