import { setTimeout as sleep } from "node:timers/promises";
import { eq } from "drizzle-orm";
import { sessions } from "../../server/db/schema";
import { announce } from "../../server/events";
import { readDocument } from "../../server/services/sessions";
import type { CarryOut } from "../context/job-context";
import { done } from "../context/job-context";

const QUIET_EVERY_MS = 250;
/** Meanwhile it takes one of the process's two places, which others may wait for. */
const QUIET_WITHIN_MS = 5000;

export const load: CarryOut<"load"> = async (job, _request, context) => {
  const { db, pool, signal } = context;
  // Beside a print everything takes longer than it does; after so long a busy measure is better than none.
  for (let waited = 0; context.busy() && waited < QUIET_WITHIN_MS && !signal.aborted; waited += QUIET_EVERY_MS)
    await sleep(QUIET_EVERY_MS);
  const { document, revision } = await readDocument(db, job.session);
  context.report({ stage: "measuring the load", done: 0, speed: null, secondsLeft: null });
  const measured = await pool.run<"load">({ kind: "load", session: document, dataRoot: context.dataRoot }, { signal });
  await db.transaction(async (tx) => {
    await tx
      .update(sessions)
      .set({ load: { ...measured, revision } })
      .where(eq(sessions.id, job.session));
    await announce(tx, { about: "load", session: job.session });
    await done(tx, job, { kind: "load", total: measured.total });
  });
};
