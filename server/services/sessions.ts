import { randomUUID } from "node:crypto";
import { and, desc, eq, inArray, sql } from "drizzle-orm";
import type { Session } from "../../core/session/document";
import { readSession } from "../../core/session/read";
import type { MeasuredLoad, SessionState, SessionSummary } from "../../contract/session";
import type { Connection, Db } from "../db/connect";
import { sessions, steps } from "../db/schema";
import { Refusal, invalid, notFound } from "../fault";
import type { Head } from "./documents";
import { refuseUnknownAudio } from "./unknown-audio";
import { documentBefore, documentOf, headColumns } from "./documents";

/** Stores a new session. Refused with every problem when the document is not valid or its audio is not in the store. */
export async function createSession(db: Db, document: unknown, id: string = randomUUID()): Promise<SessionState> {
  await insertSession(db, document, id);
  return readState(db, id);
}

/** The same, together with whatever else its transaction stores. */
export async function insertSession(tx: Connection, document: unknown, id: string): Promise<void> {
  const checked = readSession(document);
  if (!checked.ok) throw invalid("The session document cannot be used.", checked.problems);
  const { name, tracks, assets: named } = checked.value;
  await refuseUnknownAudio(tx, named, []);
  const [row] = await tx
    .insert(sessions)
    .values({
      id,
      revision: 0,
      head: randomUUID(),
      name,
      tracks: tracks.length,
      document: checked.value,
      documentRevision: 0,
    })
    .onConflictDoNothing()
    .returning({ id: sessions.id });
  if (!row)
    throw new Refusal(409, {
      what: `There is a session "${id}" already.`,
      kept: "It is untouched.",
      todo: "Use another id.",
      problems: [],
    });
}

export async function readState(db: Connection, id: string): Promise<SessionState> {
  const head = await readHead(db, id);
  const document = await documentOf(db, head);
  return { id, revision: head.revision, document, ...(await labelsOf(db, head)), load: head.load };
}

/** Document and revision of a session as it is now. */
export async function readDocument(
  db: Connection,
  id: string,
): Promise<{ readonly document: Session; readonly revision: number }> {
  const head = await readHead(db, id);
  return { document: await documentOf(db, head), revision: head.revision };
}

/** What is known of a session without its document. Refused when there is none. */
async function readHead(db: Connection, id: string): Promise<Head> {
  const [head] = await db.select(headColumns).from(sessions).where(eq(sessions.id, id));
  if (!head) throw notFound("such session");
  return head;
}

export const readRevision = async (db: Connection, id: string): Promise<number> => (await readHead(db, id)).revision;
export const readLoad = async (db: Connection, id: string): Promise<MeasuredLoad | null> =>
  (await readHead(db, id)).load;

/** What undo and redo would take back and bring back. */
export const readLabels = async (db: Connection, id: string): Promise<Pick<SessionState, "undo" | "redo">> =>
  labelsOf(db, await readHead(db, id));

export async function labelsOf(db: Connection, head: Head): Promise<Pick<SessionState, "undo" | "redo">> {
  const tops = [head.undoStep, head.redoStep].filter((t) => t !== null);
  const labels =
    tops.length === 0
      ? []
      : await db
          .select({ revision: steps.revision, label: steps.label })
          .from(steps)
          .where(and(eq(steps.sessionId, head.id), inArray(steps.revision, tops)));
  const labelOf = (revision: number | null) => labels.find((l) => l.revision === revision)?.label ?? null;
  return { undo: labelOf(head.undoStep), redo: labelOf(head.redoStep) };
}

/** A session of its own with the same document; its history begins anew. */
export async function duplicateSession(db: Db, id: string): Promise<SessionState> {
  const { document } = await readDocument(db, id);
  return createSession(db, { ...document, name: `${document.name.slice(0, 190)} copy` });
}

/** Takes a session off the list, or puts it back. Nothing of it is lost either way. */
export async function setDeleted(db: Db, id: string, deleted: boolean): Promise<void> {
  const [row] = await db
    .update(sessions)
    .set({ deletedAt: deleted ? sql`now()` : null })
    .where(eq(sessions.id, id))
    .returning({ id: sessions.id });
  if (!row) throw notFound("such session");
}

/** All sessions, the one changed last first; deleted ones say when they were. */
export async function listSessions(db: Db): Promise<readonly SessionSummary[]> {
  const rows = await db
    .select({
      id: sessions.id,
      revision: sessions.revision,
      changedAt: sessions.changedAt,
      deletedAt: sessions.deletedAt,
      name: sessions.name,
      tracks: sessions.tracks,
    })
    .from(sessions)
    .orderBy(desc(sessions.changedAt));
  return rows.map((r) => ({
    ...r,
    changedAt: r.changedAt.toISOString(),
    deletedAt: r.deletedAt?.toISOString() ?? null,
  }));
}

/** The document as it was at a revision: everything later taken back. */
export async function documentAt(db: Connection, id: string, revision: number): Promise<Session> {
  const now = await readDocument(db, id);
  return documentBefore(db, id, now.document, now.revision, revision);
}

/** When a revision came to be: with its step, or with the session. */
export async function revisionDate(db: Connection, id: string, revision: number): Promise<Date> {
  const [step] = await db
    .select({ madeAt: steps.madeAt })
    .from(steps)
    .where(and(eq(steps.sessionId, id), eq(steps.revision, revision)));
  if (step) return step.madeAt;
  const [session] = await db.select({ madeAt: sessions.madeAt }).from(sessions).where(eq(sessions.id, id));
  if (!session) throw notFound("such session");
  return session.madeAt;
}
