import { randomUUID } from "node:crypto";
import { rm } from "node:fs/promises";
import { madeBy } from "../../core/printing/step";
import { bringBackStep } from "../../core/session/bring-back";
import { openPackage } from "../../server/packages/read";
import { recordAudio } from "../../server/services/audio";
import { readHandoff } from "../../server/services/handoffs";
import { readDocument } from "../../server/services/sessions";
import { appendStep } from "../../server/services/steps";
import { copyOut } from "../files/copy-out";
import type { CarryOut } from "../context/job-context";
import { done } from "../context/job-context";
import type { ImportedFile } from "../import/import-file";

/** Lays the files of a package on the session at their stamps, in one step. */
export const bringBack: CarryOut<"bring back"> = async (job, { handoff }, { db, store, pool, signal, report }) => {
  const { document } = await readDocument(db, job.session);
  const { manifest, fileName } = await readHandoff(db, handoff);
  const leftovers: string[] = [];
  const opened = await openPackage(await store.packages.local(handoff));
  try {
    const read: { readonly title: string; readonly imported: ImportedFile }[] = [];
    for (const [i, file] of manifest.files.entries()) {
      const entry = opened.entries.get(file.name);
      if (!entry) throw new Error(`the package lacks "${file.name}"`);
      const [from, to] = [store.unfinished(), store.unfinished()];
      leftovers.push(from, to);
      copyOut(entry.source, from);
      const [imported] = await pool.run<"import">(
        { kind: "import", from, to, name: file.title, rate: document.rate },
        {
          signal,
          onProgress: (thousandths) =>
            report({
              stage: `reading ${file.name}, ${i + 1} of ${manifest.files.length}`,
              done: (i + thousandths / 1000) / manifest.files.length,
              speed: null,
              secondsLeft: null,
            }),
        },
      );
      await rm(from, { force: true });
      if (imported) read.push({ title: file.title, imported });
    }
    const hashes = await Promise.all(read.map(({ imported: { file } }) => store.adopt(file.path, file.sha256)));
    // Behind the silence in front is where the range began, whatever rate the files have.
    const silence = Math.round((manifest.silence.frames * document.rate) / manifest.rate);
    const began = Math.round((manifest.range.from * document.rate) / manifest.session.rate);
    await db.transaction(async (tx) => {
      const files = read.map(({ title, imported: { file } }, i) => ({
        title,
        at: began - silence,
        asset: {
          id: hashes[i] ?? "",
          name: title,
          frames: file.frames,
          rate: file.format.rate,
          channels: file.format.channels,
          origin: "imported" as const,
        },
      }));
      for (const [i, { imported }] of read.entries())
        await recordAudio(tx, hashes[i] ?? "", { ...imported.file, timeReference: imported.timeReference });
      let put = madeBy([]);
      await appendStep(tx, job.session, job.id, (now) => {
        const step = bringBackStep(now, files, fileName.replace(/\.zip$/, ""), randomUUID);
        put = madeBy(step.edits);
        return step;
      });
      await done(tx, job, { kind: "bring back", handoff, files: files.length, made: put });
    });
  } finally {
    opened.close();
    await Promise.all(leftovers.map((path) => rm(path, { force: true })));
  }
};
