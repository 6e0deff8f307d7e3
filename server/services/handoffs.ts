import { desc, eq, sql } from "drizzle-orm";
import type { Job } from "../../contract/job";
import type { RequestOf } from "../../contract/job-kinds";
import type { Handoff, HandoffSummary } from "../../contract/handoff";
import { sayChanges } from "../../core/words/changes";
import { type Manifest, parseManifest } from "../../core/delivery/manifest";
import type { Connection, Db } from "../db/connect";
import { handoffs } from "../db/schema";
import { Refusal, notFound } from "../fault";
import { audioStore } from "./audio";
import { requestJob } from "./jobs";

/** Finished exports of a session, newest first. */
export async function listHandoffs(db: Db, session: string): Promise<readonly HandoffSummary[]> {
  const { id, revision, fileName, manifest, bytes, madeAt } = handoffs;
  // Proofs and outlines are large, and not needed here.
  const mark = sql<HandoffSummary["mark"]>`${handoffs.proof}->'verdict'->>'mark'`;
  const rows = await db
    .select({ id, revision, fileName, manifest, bytes, madeAt, mark })
    .from(handoffs)
    .where(eq(handoffs.sessionId, session))
    .orderBy(desc(handoffs.madeAt))
    .limit(200);
  const store = audioStore();
  const isHere = await Promise.all(rows.map((row) => store.packages.has(row.id)));
  return rows.map((row, i) => {
    const { files, sessionFiles, since, receiver } = parseManifest(row.manifest);
    return {
      id: row.id,
      revision: row.revision,
      fileName: row.fileName,
      files: files.length,
      sessionFiles: sessionFiles.length,
      isHere: isHere[i] ?? false,
      bytes: row.bytes,
      full: since?.full ?? true,
      receiver,
      changes: since ? [...sayChanges(since)] : [],
      mark: row.mark,
      madeAt: row.madeAt.toISOString(),
    };
  });
}

/** What the newest finished exports of a session hold, newest first. */
export async function lastHandoffs(
  db: Connection,
  session: string,
  most: number,
): Promise<readonly { readonly id: string; readonly manifest: Manifest }[]> {
  const rows = await db
    .select({ id: handoffs.id, manifest: handoffs.manifest })
    .from(handoffs)
    .where(eq(handoffs.sessionId, session))
    .orderBy(desc(handoffs.madeAt))
    .limit(most);
  return rows.map(({ id, manifest }) => ({ id, manifest: parseManifest(manifest) }));
}

export async function readHandoff(db: Connection, id: string): Promise<Handoff> {
  const [row] = await db.select().from(handoffs).where(eq(handoffs.id, id));
  if (!row) throw notFound("such handoff");
  const { sessionId, revision, fileName, whole, facts, manifest, bytes, proof, speed, madeAt } = row;
  return {
    id,
    session: sessionId,
    revision,
    fileName,
    whole,
    facts,
    speed,
    madeAt: madeAt.toISOString(),
    // Packages of earlier days say less; what they do not say has its plain value.
    manifest: parseManifest(manifest),
    bytes,
    proof: proof && { ...proof, manifest: parseManifest(proof.manifest) },
  };
}

/** Asks for a package to be proven, again if it was before. */
export async function requestProof(db: Db, id: string): Promise<Job> {
  const { session } = await readHandoff(db, id);
  return requestJob(db, session, { kind: "prove", handoff: id });
}

/** Asks for an export; one that carries an earlier one on needs that to be of the same session, and whole. */
export async function requestExport(
  db: Db,
  session: string,
  {
    since,
    full,
    only = null,
  }: Pick<RequestOf<"export">, "since" | "full"> & Partial<Pick<RequestOf<"export">, "only">>,
): Promise<Job> {
  if (since !== null) {
    const earlier = await readHandoff(db, since);
    if (earlier.session !== session) throw notFound("such handoff of this session");
    if (earlier.manifest.since?.full === false)
      throw new Refusal(409, {
        what: "That package holds only what had changed, so nothing can be carried on from it.",
        kept: "Nothing was exported.",
        todo: "Choose a package that holds everything.",
        problems: [],
      });
  }
  return requestJob(db, session, { kind: "export", since, full, only });
}

/** Asks for the files of a handoff to be laid on its session. */
export async function requestBringBack(db: Db, id: string): Promise<Job> {
  const { session } = await readHandoff(db, id);
  return requestJob(db, session, { kind: "bring back", handoff: id });
}

/** Asks for two handoffs of one session to be held against each other. */
export async function requestDifferences(db: Db, id: string, earlier: string): Promise<Job> {
  const { session } = await readHandoff(db, id);
  if ((await readHandoff(db, earlier)).session !== session) throw notFound("such handoff of this session");
  return requestJob(db, session, { kind: "differences", earlier, later: id });
}
