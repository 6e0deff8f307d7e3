import { setImmediate } from "node:timers/promises";
import { and, asc, desc, eq, gt, lte } from "drizzle-orm";
import type { Session } from "../../core/session/document";
import { applyEdits, applyStep } from "../../core/session/edits";
import type { Connection } from "../db/connect";
import { sessions, steps } from "../db/schema";
import { debug } from "../debug";
import { notFound } from "../fault";

/**
 * A session's document is a snapshot and the steps since; what it is now is kept in memory for as long as there is
 * room. Which version that is the database says, each time: a version is told by its revision and by the step that made
 * it, so what is kept here is never taken for what it is not.
 */

/** What the database knows of a session without reading its document. */
export type Head = Pick<
  typeof sessions.$inferSelect,
  "id" | "revision" | "head" | "documentRevision" | "undoStep" | "redoStep" | "load"
>;

export const headColumns = {
  id: sessions.id,
  revision: sessions.revision,
  head: sessions.head,
  documentRevision: sessions.documentRevision,
  undoStep: sessions.undoStep,
  redoStep: sessions.redoStep,
  load: sessions.load,
};

/** A snapshot is written when so many steps have come since the last. */
export const SNAPSHOT_EVERY = 200;
/** And behind a step with so many edits, so that what has to be done again is bounded. */
export const SNAPSHOT_EDITS = 1000;
/** Records that are kept in memory, of all sessions together: a clip or a note is about a hundred bytes. */
const MOST_RECORDS = 500_000;

interface Version {
  readonly revision: number;
  readonly head: string;
  readonly document: Session;
}

// Pages and routes may load this module each for itself: one cache a process.
const holder = globalThis as { stemzoDocuments?: Map<string, Version> };
/** The one used last comes last. */
const kept = (holder.stemzoDocuments ??= new Map());

/** Keeps a version that is committed. */
export function keepDocument(id: string, version: Version): void {
  kept.delete(id);
  kept.set(id, version);
  let records = [...kept.values()].reduce((sum, { document }) => sum + recordsOf(document), 0);
  for (const [oldest, { document }] of kept) {
    if (records <= MOST_RECORDS || kept.size === 1) return;
    kept.delete(oldest);
    records -= recordsOf(document);
  }
}

/** Everything is read from the database again. */
export const forgetDocuments = (): void => kept.clear();

const recordsOf = (session: Session): number =>
  session.assets.length +
  session.phrases.reduce((sum, p) => sum + p.notes.length, 0) +
  session.tracks.reduce((sum, t) => sum + 10 + t.clips.length + 10 * t.takes.length + 10 * t.automation.length, 0);

/** The document a head stands for; in a transaction that holds the session's row, no other can come meanwhile. */
export async function documentOf(db: Connection, head: Head): Promise<Session> {
  const { id, revision } = head;
  const known = kept.get(id);
  if (known?.revision === revision && known.head === head.head) return known.document;
  debug("documents", () => `${id}: revision ${revision}, ${known ? `kept is ${known.revision}` : "none is kept"}`);
  const document =
    (known && known.revision < revision ? await caughtUp(db, id, known, revision) : null) ??
    (await fromSnapshot(db, id, revision));
  keepDocument(id, { revision, head: head.head, document });
  return document;
}

/** A version that is kept, brought on to a later revision; null when it is not an earlier version of the same. */
async function caughtUp(db: Connection, id: string, known: Version, revision: number): Promise<Session | null> {
  const [own, ...later] = await stepsBetween(db, id, known.revision - 1, revision);
  if (own?.revision !== known.revision || own.stepId !== known.head) return null;
  return applied(id, known.document, known.revision, later, revision);
}

async function fromSnapshot(db: Connection, id: string, revision: number): Promise<Session> {
  const [row] = await db
    .select({ document: sessions.document, documentRevision: sessions.documentRevision })
    .from(sessions)
    .where(eq(sessions.id, id));
  if (!row) throw notFound("such session");
  // A later snapshot was written since the head was read.
  if (row.documentRevision > revision) return documentBefore(db, id, row.document, row.documentRevision, revision);
  return applied(
    id,
    row.document,
    row.documentRevision,
    await stepsBetween(db, id, row.documentRevision, revision),
    revision,
  );
}

type Stored = Pick<typeof steps.$inferSelect, "revision" | "stepId" | "step">;

/** Steps after one revision up to another, in order. */
const stepsBetween = (db: Connection, id: string, after: number, upTo: number): Promise<readonly Stored[]> =>
  db
    .select({ revision: steps.revision, stepId: steps.stepId, step: steps.step })
    .from(steps)
    .where(and(eq(steps.sessionId, id), gt(steps.revision, after), lte(steps.revision, upTo)))
    .orderBy(asc(steps.revision));

function applied(id: string, from: Session, at: number, later: readonly Stored[], revision: number): Session {
  if (later.length !== revision - at) throw new Error(`the history of session ${id} has holes after revision ${at}`);
  return later.reduce((session, { revision: made, step }) => {
    const on = applyStep(session, step);
    if (!on.ok) throw new Error(`revision ${made} of session ${id} does not apply: ${on.problems[0]?.what ?? ""}`);
    return on.value.session;
  }, from);
}

/** So many steps are read at once, and work on them holds the process up for no longer than this. */
const STEPS_AT_ONCE = 500;
const LONGEST_TURN_MS = 20;

/**
 * What a document was at an earlier revision: everything later taken back. It was sound then, as the history says, so
 * it is not looked at as a whole again.
 */
export async function documentBefore(
  db: Connection,
  id: string,
  document: Session,
  at: number,
  revision: number,
): Promise<Session> {
  let session = document;
  let turn = performance.now();
  for (let upTo = at; upTo > revision;) {
    const later = await db
      .select({ revision: steps.revision, inverse: steps.inverse })
      .from(steps)
      .where(and(eq(steps.sessionId, id), gt(steps.revision, revision), lte(steps.revision, upTo)))
      .orderBy(desc(steps.revision))
      .limit(STEPS_AT_ONCE);
    if (later.length === 0) throw new Error(`the history of session ${id} has holes before revision ${upTo}`);
    for (const step of later) {
      if (step.revision !== upTo) throw new Error(`the history of session ${id} has holes before revision ${upTo}`);
      const back = applyEdits(session, step.inverse);
      if (!back.ok) throw new Error(`revision ${step.revision} of session ${id} cannot be taken back`);
      session = back.value.session;
      upTo--;
      if (performance.now() - turn < LONGEST_TURN_MS) continue;
      await setImmediate();
      turn = performance.now();
    }
  }
  return session;
}
