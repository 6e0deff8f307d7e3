import { randomUUID } from "node:crypto";
import { and, asc, desc, eq, gt, inArray, sql } from "drizzle-orm";
import type { Session } from "../../core/session/document";
import type { Step } from "../../core/session/edits";
import { applyStep } from "../../core/session/edits";
import type { Problem } from "../../core/session/problem";
import { readSession } from "../../core/session/read";
import type { NamedStep, StoredStep } from "../../core/session/sync";
import type { MeasuredLoad, SessionState, SessionSummary } from "../../contract/session";
import type { Connection, Db } from "../db/connect";
import { assets, sessions, steps } from "../db/schema";
import { announce } from "../events";
import { Refusal, invalid, notFound } from "../fault";
import type { Head } from "./documents";
import { SNAPSHOT_EVERY, documentBefore, documentOf, headColumns, keepDocument } from "./documents";

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

async function labelsOf(db: Connection, head: Head): Promise<Pick<SessionState, "undo" | "redo">> {
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

export async function stepsAfter(db: Connection, id: string, revision: number): Promise<readonly StoredStep[]> {
  const rows = await db
    .select({ revision: steps.revision, stepId: steps.stepId, step: steps.step })
    .from(steps)
    .where(and(eq(steps.sessionId, id), gt(steps.revision, revision)))
    .orderBy(asc(steps.revision));
  return rows.map((r) => ({ revision: r.revision, id: r.stepId, step: r.step }));
}

export type Posted =
  /** On top of what others did since, where there is something and it was allowed. */
  | { readonly outcome: "stored"; readonly revision: number; readonly missing?: readonly StoredStep[] }
  /** Others were first: here is what they did; apply it and send again. */
  | { readonly outcome: "behind"; readonly revision: number; readonly missing: readonly StoredStep[] };

/**
 * Stores steps made on revision `base`, all or none; `rebase`: on top of what others did since, where it applies. Steps
 * that are stored already, since the answer to them was lost, stand among what was done since and are not stored again.
 */
export async function postSteps(
  db: Db,
  id: string,
  base: number,
  named: readonly NamedStep[],
  rebase = false,
): Promise<Posted> {
  const twice = named.findIndex((s, i) => named.slice(0, i).some((t) => t.id === s.id));
  if (twice >= 0)
    throw invalid("A step is sent twice.", [{ where: `steps[${twice}].id`, what: "is the id of a step before it" }]);
  const posted = await db.transaction(async (tx) => {
    const now = await lock(tx, id);
    const missing = base === now.revision ? [] : await stepsAfter(tx, id, base);
    if (base !== now.revision && (!rebase || base > now.revision)) return { behind: now.revision, missing };
    let at: Current = { ...now, document: await documentOf(tx, now) };
    const stored = new Set(missing.map((m) => m.id));
    for (const { id: stepId, step } of named) if (!stored.has(stepId)) at = await append(tx, at, stepId, step, "edit");
    return { at, missing };
  });
  if (!("at" in posted)) return { outcome: "behind", revision: posted.behind, missing: posted.missing };
  keepDocument(id, posted.at);
  const { at, missing } = posted;
  return { outcome: "stored", revision: at.revision, ...(missing.length > 0 ? { missing } : {}) };
}

/** Stores a step made by the server on whatever the session is now; null when `make` finds nothing to do. */
export async function appendStep(
  tx: Connection,
  id: string,
  stepId: string,
  make: (session: Session, revision: number) => Step | null,
): Promise<number> {
  const now = await lock(tx, id);
  const document = await documentOf(tx, now);
  const step = make(document, now.revision);
  return step ? (await append(tx, { ...now, document }, stepId, step, "edit")).revision : now.revision;
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

/** Takes the newest step back, or brings the newest undone one forth. Returns its label. */
export async function travel(
  db: Db,
  id: string,
  direction: "undo" | "redo",
): Promise<{ revision: number; label: string }> {
  const { at, label } = await db.transaction(async (tx) => {
    const now = await lock(tx, id);
    const top = direction === "undo" ? now.undoStep : now.redoStep;
    if (top === null)
      throw new Refusal(409, {
        what: `There is nothing to ${direction}.`,
        kept: "The session is as it was.",
        todo: "Go on working.",
        problems: [],
      });
    const [made] = await tx
      .select({ inverse: steps.inverse, label: steps.label, below: steps.below })
      .from(steps)
      .where(and(eq(steps.sessionId, id), eq(steps.revision, top)));
    if (!made) throw new Error(`step ${top} of session ${id} is missing from its history`);
    const document = await documentOf(tx, now);
    const popped = direction === "undo" ? { ...now, undoStep: made.below } : { ...now, redoStep: made.below };
    return { at: await append(tx, { ...popped, document }, randomUUID(), made.inverse, direction), label: made.label };
  });
  keepDocument(id, at);
  return { revision: at.revision, label };
}

/** Makes a session what it was at a revision, as a step of its own. */
export async function returnTo(db: Db, id: string, revision: number, label: string, stepId: string): Promise<number> {
  const at = await db.transaction(async (tx) => {
    const now = await lock(tx, id);
    const later = await tx
      .select({ inverse: steps.inverse })
      .from(steps)
      .where(and(eq(steps.sessionId, id), gt(steps.revision, revision)))
      .orderBy(desc(steps.revision));
    const edits = later.flatMap((s) => s.inverse.edits);
    if (edits.length === 0)
      throw new Refusal(409, {
        what: "The session is at that point already.",
        kept: "Nothing was changed.",
        todo: "Choose an earlier one.",
        problems: [],
      });
    return append(tx, { ...now, document: await documentOf(tx, now) }, stepId, { label, edits }, "edit");
  });
  keepDocument(id, at);
  return at.revision;
}

/** A session as a transaction that holds its row sees it. */
type Current = Head & { readonly document: Session };

async function lock(tx: Connection, id: string): Promise<Head> {
  const [head] = await tx.select(headColumns).from(sessions).where(eq(sessions.id, id)).for("update");
  if (!head) throw notFound("such session");
  return head;
}

/**
 * Adds a step to the history. Undo and redo are stacks of steps, each of which knows the one below it: an edit or a
 * redo goes onto the one, an undo onto the other, and an edit leaves nothing to redo.
 */
async function append(
  tx: Connection,
  now: Current,
  stepId: string,
  step: Step,
  how: "edit" | "undo" | "redo",
): Promise<Current> {
  const { id } = now;
  const applied = applyStep(now.document, step);
  if (!applied.ok) throw invalid(`"${step.label}" cannot be applied.`, applied.problems);
  const { session: document, inverse } = applied.value;
  if (document.assets !== now.document.assets) await refuseUnknownAudio(tx, document.assets, now.document.assets);
  const revision = now.revision + 1;
  const next = {
    revision,
    head: stepId,
    undoStep: how === "undo" ? now.undoStep : revision,
    redoStep: how === "undo" ? revision : how === "redo" ? now.redoStep : null,
    documentRevision: revision - now.documentRevision >= SNAPSHOT_EVERY ? revision : now.documentRevision,
  };
  const [stored] = await tx
    .insert(steps)
    .values({
      sessionId: id,
      revision,
      stepId,
      label: step.label,
      how,
      step,
      inverse,
      below: how === "undo" ? now.redoStep : now.undoStep,
    })
    .onConflictDoNothing({ target: [steps.sessionId, steps.stepId] })
    .returning({ revision: steps.revision });
  if (!stored)
    throw invalid(`"${step.label}" is stored already.`, [
      { where: "steps", what: `there is a step with the id "${stepId}" in the session's history` },
    ]);
  await tx
    .update(sessions)
    .set({
      ...next,
      name: document.name,
      tracks: document.tracks.length,
      changedAt: sql`now()`,
      ...(next.documentRevision === revision ? { document } : {}),
    })
    .where(eq(sessions.id, id));
  await announce(tx, { about: "revision", session: id, revision });
  return { ...now, ...next, document };
}

/** Every asset a list newly names has to be in the store, and be what the document says it is. */
async function refuseUnknownAudio(db: Connection, list: Session["assets"], before: Session["assets"]): Promise<void> {
  const known = new Set(before.map((a) => a.id));
  const named = list.map((asset, i) => ({ asset, i })).filter(({ asset }) => !known.has(asset.id));
  if (named.length === 0) return;
  const stored = new Map(
    (
      await db
        .select({ hash: assets.hash, frames: assets.frames, rate: assets.rate, channels: assets.channels })
        .from(assets)
        .where(
          inArray(
            assets.hash,
            named.map(({ asset }) => asset.id),
          ),
        )
    ).map((a) => [a.hash, a]),
  );
  const problems = named.flatMap(({ asset, i }): Problem[] => {
    const found = stored.get(asset.id);
    if (!found)
      return [{ where: `assets[${i}].id`, what: `the audio of "${asset.name}" is not in the store: upload it first` }];
    return (["frames", "rate", "channels"] as const)
      .filter((field) => found[field] !== asset[field])
      .map((field) => ({
        where: `assets[${i}].${field}`,
        what: `is ${asset[field]}, the stored file has ${found[field]}`,
      }));
  });
  if (problems.length > 0) throw invalid("The session names audio that does not fit.", problems);
}
