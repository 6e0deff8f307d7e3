import { desc, eq } from "drizzle-orm";
import type { Job } from "../../contract/job";
import type { Handoff, HandoffSummary } from "../../contract/handoff";
import type { Connection, Db } from "../db/connect";
import { handoffs } from "../db/schema";
import { notFound } from "../fault";
import { requestJob } from "./jobs";

/** Finished exports of a session, newest first. */
export async function listHandoffs(db: Db, session: string): Promise<readonly HandoffSummary[]> {
  const rows = await db
    .select()
    .from(handoffs)
    .where(eq(handoffs.sessionId, session))
    .orderBy(desc(handoffs.madeAt))
    .limit(200);
  return rows.map(({ id, revision, fileName, manifest, bytes, proof, madeAt }) => ({
    id,
    revision,
    fileName,
    files: manifest.files.length,
    bytes,
    mark: proof?.verdict.mark ?? null,
    madeAt: madeAt.toISOString(),
  }));
}

export async function readHandoff(db: Connection, id: string): Promise<Handoff> {
  const [row] = await db.select().from(handoffs).where(eq(handoffs.id, id));
  if (!row) throw notFound("such handoff");
  const { sessionId, revision, fileName, mixBefore, manifest, bytes, proof, speed, madeAt } = row;
  return {
    id,
    session: sessionId,
    revision,
    fileName,
    mixBefore,
    speed,
    madeAt: madeAt.toISOString(),
    manifest,
    bytes,
    proof,
  };
}

/** Asks for a package to be proven, again if it was before. */
export async function requestProof(db: Db, id: string): Promise<Job> {
  const { session } = await readHandoff(db, id);
  return requestJob(db, session, { kind: "prove", handoff: id });
}
