import { randomUUID } from "node:crypto";
import { and, asc, desc, eq, gt, inArray, lte, sql } from "drizzle-orm";
import type { Session } from "../../core/session/document";
import type { Step } from "../../core/session/edits";
import { applyStep } from "../../core/session/edits";
import type { Problem } from "../../core/session/problem";
import { readSession } from "../../core/session/read";
import type { NamedStep, StoredStep } from "../../core/session/sync";
import type { SessionState, SessionSummary } from "../../contract/session";
import type { Connection, Db } from "../db/connect";
import { assets, sessions, steps } from "../db/schema";
import { announce } from "../events";
import { Refusal, invalid, notFound } from "../fault";

const UNDO_DEPTH = 2000;

/** Stores a new session. Refused with every problem when the document is not valid or its audio is not in the store. */
export async function createSession(db: Db, document: unknown, id: string = randomUUID()): Promise<SessionState> {
  const checked = readSession(document);
  if (!checked.ok) throw invalid("The session document cannot be used.", checked.problems);
  await refuseUnknownAudio(db, checked.value, new Set());
  const [row] = await db
    .insert(sessions)
    .values({ id, revision: 0, document: checked.value })
    .onConflictDoNothing()
    .returning({ id: sessions.id });
  if (!row)
    throw new Refusal(409, {
      what: `There is a session "${id}" already.`,
      kept: "It is untouched.",
      todo: "Use another id.",
      problems: [],
    });
  return readState(db, id);
}

export async function readState(db: Connection, id: string): Promise<SessionState> {
  const [row] = await db.select().from(sessions).where(eq(sessions.id, id));
  if (!row) throw notFound("such session");
  const tops = [row.undo.at(-1), row.redo.at(-1)];
  const labels = await db
    .select({ revision: steps.revision, label: sql<string>`${steps.step}->>'label'` })
    .from(steps)
    .where(
      and(
        eq(steps.sessionId, id),
        inArray(
          steps.revision,
          tops.filter((t) => t !== undefined),
        ),
      ),
    );
  const labelOf = (revision: number | undefined) => labels.find((l) => l.revision === revision)?.label ?? null;
  return {
    id,
    revision: row.revision,
    document: row.document,
    undo: labelOf(tops[0]),
    redo: labelOf(tops[1]),
    load: row.load,
  };
}

/** A session of its own with the same document; its history begins anew. */
export async function duplicateSession(db: Db, id: string): Promise<SessionState> {
  const { document } = await readState(db, id);
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
      name: sql<string>`${sessions.document}->>'name'`,
      tracks: sql<number>`jsonb_array_length(${sessions.document}->'tracks')`,
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
    .select()
    .from(steps)
    .where(and(eq(steps.sessionId, id), gt(steps.revision, revision)))
    .orderBy(asc(steps.revision));
  return rows.map((r) => ({ revision: r.revision, id: r.stepId, step: r.step }));
}

export type Posted =
  | { readonly outcome: "stored"; readonly revision: number }
  /** Others were first: here is what they did; apply it and send again. */
  | { readonly outcome: "behind"; readonly revision: number; readonly missing: readonly StoredStep[] };

/** Stores steps made on revision `base`, all or none. */
export async function postSteps(db: Db, id: string, base: number, named: readonly NamedStep[]): Promise<Posted> {
  return db.transaction(async (tx) => {
    const row = await lock(tx, id);
    if (base !== row.revision)
      return { outcome: "behind", revision: row.revision, missing: await stepsAfter(tx, id, base) };
    let state = row;
    for (const { id: stepId, step } of named) state = await append(tx, state, stepId, step, "edit");
    return { outcome: "stored", revision: state.revision };
  });
}

/** Stores a step made by the server on whatever the session is now; null when `make` finds nothing to do. */
export async function appendStep(
  tx: Connection,
  id: string,
  stepId: string,
  make: (session: Session, revision: number) => Step | null,
): Promise<number> {
  const row = await lock(tx, id);
  const step = make(row.document, row.revision);
  return step ? (await append(tx, row, stepId, step, "edit")).revision : row.revision;
}

/**
 * The document as it was at a revision: everything later taken back. What is added while it looks does not disturb it.
 */
export async function documentAt(db: Connection, id: string, revision: number): Promise<Session> {
  const { document, revision: now } = await readState(db, id);
  const later = await db
    .select({ revision: steps.revision, inverse: steps.inverse })
    .from(steps)
    .where(and(eq(steps.sessionId, id), gt(steps.revision, revision), lte(steps.revision, now)))
    .orderBy(desc(steps.revision));
  if (later.length !== now - revision)
    throw new Error(`the history of session ${id} has holes after revision ${revision}`);
  return later.reduce((session, step) => {
    const back = applyStep(session, step.inverse);
    if (!back.ok) throw new Error(`revision ${step.revision} of session ${id} cannot be taken back`);
    return back.value.session;
  }, document);
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
  return db.transaction(async (tx) => {
    const row = await lock(tx, id);
    const at = row[direction].at(-1);
    if (at === undefined)
      throw new Refusal(409, {
        what: `There is nothing to ${direction}.`,
        kept: "The session is as it was.",
        todo: "Go on working.",
        problems: [],
      });
    const [made] = await tx
      .select()
      .from(steps)
      .where(and(eq(steps.sessionId, id), eq(steps.revision, at)));
    if (!made) throw new Error(`step ${at} of session ${id} is missing from its history`);
    const { revision } = await append(tx, row, randomUUID(), made.inverse, direction);
    return { revision, label: made.step.label };
  });
}

type Row = typeof sessions.$inferSelect;

async function lock(tx: Connection, id: string): Promise<Row> {
  const [row] = await tx.select().from(sessions).where(eq(sessions.id, id)).for("update");
  if (!row) throw notFound("such session");
  return row;
}

async function append(
  tx: Connection,
  row: Row,
  stepId: string,
  step: Step,
  how: "edit" | "undo" | "redo",
): Promise<Row> {
  const applied = applyStep(row.document, step);
  if (!applied.ok) throw invalid(`"${step.label}" cannot be applied.`, applied.problems);
  const document = applied.value.session;
  await refuseUnknownAudio(tx, document, new Set(row.document.assets.map((a) => a.id)));
  const revision = row.revision + 1;
  const undo = how === "undo" ? row.undo.slice(0, -1) : [...row.undo, revision].slice(-UNDO_DEPTH);
  const redo = how === "undo" ? [...row.redo, revision] : how === "redo" ? row.redo.slice(0, -1) : [];
  await tx.insert(steps).values({ sessionId: row.id, revision, stepId, step, inverse: applied.value.inverse });
  await tx
    .update(sessions)
    .set({ document, revision, undo, redo, changedAt: sql`now()` })
    .where(eq(sessions.id, row.id));
  await announce(tx, { about: "revision", session: row.id, revision });
  return { ...row, document, revision, undo, redo };
}

/** Every asset a document newly names has to be in the store, and be what the document says it is. */
async function refuseUnknownAudio(db: Connection, session: Session, known: ReadonlySet<string>): Promise<void> {
  const named = session.assets.map((asset, i) => ({ asset, i })).filter(({ asset }) => !known.has(asset.id));
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
