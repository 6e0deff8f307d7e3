import { eq } from "drizzle-orm";
import { planExport, withoutStems } from "../../core/delivery/plan";
import { handoffs } from "../../server/db/schema";
import { readHandoff } from "../../server/services/handoffs";
import { documentAt, revisionDate } from "../../server/services/sessions";
import { provePackage } from "../delivery/prove-package";
import type { CarryOut } from "../context/job-context";
import { done, orFail } from "../context/job-context";

/** Reads a finished package back, measures it, and holds every file of it to a fresh render. */
export const prove: CarryOut<"prove"> = async (job, { handoff }, { db, store, pool, signal, report, dataRoot }) => {
  const { revision, whole, manifest } = await readHandoff(db, handoff);
  const document = await documentAt(db, job.session, revision);
  // Session files may have been made alone.
  const asked = manifest.files.length === 0 ? withoutStems(document) : document;
  const proof = await provePackage(
    {
      session: document,
      plan: orFail(planExport(asked, await revisionDate(db, job.session, revision))),
      zipPath: await store.packages.local(handoff),
      wholePath: whole === null ? null : await store.audioHere(whole),
      dataRoot,
    },
    pool,
    {
      signal,
      onProgress: (part) =>
        report({ stage: "holding every file to a fresh render", done: part, speed: null, secondsLeft: null }),
    },
  );
  await db.transaction(async (tx) => {
    await tx.update(handoffs).set({ proof }).where(eq(handoffs.id, handoff));
    await done(tx, job, { kind: "prove", handoff, mark: proof.verdict.mark });
  });
};
