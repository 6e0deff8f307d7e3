import { rm } from "node:fs/promises";
import { planExport } from "../../core/delivery/plan";
import { handoffs } from "../../server/db/schema";
import { recordAudio } from "../../server/services/audio";
import { requestJob } from "../../server/services/jobs";
import { readDocument, revisionDate } from "../../server/services/sessions";
import { makePackage } from "../delivery";
import type { CarryOut } from "../job-context";
import { done, orFail } from "../job-context";

export const exportStems: CarryOut<"export"> = async (job, _request, context) => {
  const { db, store, pool, signal, report } = context;
  const { document, revision } = await readDocument(db, job.session);
  const plan = orFail(planExport(document));
  // Dates are the revision's, so that the same revision is the same bytes whenever it is exported.
  const date = await revisionDate(db, job.session, revision);
  const made = await makePackage(
    { session: document, id: job.session, revision, plan, date, dataRoot: context.dataRoot },
    store,
    pool,
    context.threads,
    { signal, report },
  );
  try {
    const mixHash = await store.adopt(made.mixBefore.path, made.mixBefore.sha256);
    await store.adoptPackage(made.zipPath, job.id);
    await db.transaction(async (tx) => {
      await recordAudio(tx, mixHash, { ...made.mixBefore, timeReference: plan.timeReference });
      await tx.insert(handoffs).values({
        id: job.id,
        sessionId: job.session,
        revision,
        fileName: `${plan.folder}.zip`,
        mixBefore: mixHash,
        manifest: made.manifest,
        bytes: made.bytes,
        proof: null,
        speed: made.speed,
      });
      await done(tx, job, { kind: "export", handoff: job.id });
      // The package can be fetched from now on; what is in it is proven beside that.
      await requestJob(tx, job.session, { kind: "prove", handoff: job.id });
    });
  } finally {
    await Promise.all([made.mixBefore.path, made.zipPath].map((path) => rm(path, { force: true })));
  }
};
