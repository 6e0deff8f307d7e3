import { rm } from "node:fs/promises";
import { eq } from "drizzle-orm";
import { sessionEnd } from "../../core/engine/render";
import { lineage } from "../../server/db/schema";
import { documentAt } from "../../server/services/sessions";
import type { CarryOut } from "../context/job-context";
import { done } from "../context/job-context";

/** Plays the session as it was right before a print against what it was right after it. */
export const check: CarryOut<"check"> = async (
  job,
  { job: printJob },
  { db, store, pool, signal, report, dataRoot },
) => {
  const [made] = await db.select().from(lineage).where(eq(lineage.job, printJob));
  if (!made) throw new Error(`the print job ${printJob} has no lineage`);
  const before = await documentAt(db, job.session, made.revisionBefore);
  const after = await documentAt(db, job.session, made.revisionAfter);
  const scratch = store.unfinished();
  const total = 2 * Math.max(sessionEnd(before), sessionEnd(after));
  try {
    const residue = await pool.run<"compare">(
      { kind: "compare", before, after, dataRoot, scratch },
      {
        signal,
        onProgress: (frames) =>
          report({
            stage: "comparing before and after",
            done: Math.min(1, frames / Math.max(1, total)),
            speed: null,
            secondsLeft: null,
          }),
      },
    );
    await db.transaction(async (tx) => {
      await tx.update(lineage).set({ checked: true, residueDb: residue.peakDb }).where(eq(lineage.job, printJob));
      await done(tx, job, { kind: "check", job: printJob, peakDb: residue.peakDb, at: residue.at });
    });
  } finally {
    await rm(scratch, { force: true });
  }
};
