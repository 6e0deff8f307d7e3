import { desc, eq } from "drizzle-orm";
import type { Handoff, HandoffSummary } from "../../contract/handoff";
import type { Db } from "../db/connect";
import { handoffs } from "../db/schema";
import { notFound } from "../fault";

/** Finished exports of a session, newest first. */
export async function listHandoffs(db: Db, session: string): Promise<readonly HandoffSummary[]> {
  const rows = await db.select().from(handoffs).where(eq(handoffs.sessionId, session)).orderBy(desc(handoffs.madeAt)).limit(200);
  return rows.map(({ id, revision, fileName, proof, madeAt }) => ({
    id, revision, fileName, files: proof.files.length, bytes: proof.zipBytes, mark: proof.verdict.mark, madeAt: madeAt.toISOString(),
  }));
}

export async function readHandoff(db: Db, id: string): Promise<Handoff> {
  const [row] = await db.select().from(handoffs).where(eq(handoffs.id, id));
  if (!row) throw notFound("such handoff");
  const { sessionId, revision, fileName, mixBefore, proof, speed, madeAt } = row;
  return { id, session: sessionId, revision, fileName, mixBefore, speed, madeAt: madeAt.toISOString(), proof };
}
