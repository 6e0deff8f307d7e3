import { randomUUID } from "node:crypto";
import { and, asc, eq, gt, lt, sql } from "drizzle-orm";
import type { Session } from "../../core/session/document";
import type { Step } from "../../core/session/edits";
import { applyStep } from "../../core/session/edits";
import { editsBetween } from "../../core/session/edits-between";
import type { NamedStep, StoredStep } from "../../core/session/sync";
import type { Traveled } from "../../contract/session";
import type { Connection, Db } from "../db/connect";
import { sessions, steps } from "../db/schema";
import { announce } from "../events";
import { Refusal, invalid, notFound } from "../fault";
import type { Head } from "./documents";
import { SNAPSHOT_EDITS, SNAPSHOT_EVERY, documentBefore, documentOf, headColumns, keepDocument } from "./documents";

import { labelsOf } from "./sessions";
import { refuseUnknownAudio } from "./unknown-audio";

/**
 * So many steps are told at once, and so many bytes of them as the database keeps them (which is a tenth of their JSON,
 * or more): a client that is further behind asks again from the last of them on.
 */
const MOST_TOLD = 2000;
const MOST_TOLD_BYTES = 4 << 20;

/** Steps after a revision, in order: all there are, or the first of them. */
export async function stepsAfter(db: Connection, id: string, revision: number): Promise<readonly StoredStep[]> {
  const size = sql`pg_column_size(${steps.step})`;
  const first = db
    .select({
      revision: steps.revision,
      stepId: steps.stepId,
      step: steps.step,
      before: sql<number>`sum(${size}) over (order by ${steps.revision}) - ${size}`.as("before"),
    })
    .from(steps)
    .where(and(eq(steps.sessionId, id), gt(steps.revision, revision)))
    .orderBy(asc(steps.revision))
    .limit(MOST_TOLD)
    .as("first");
  const rows = await db
    .select({ revision: first.revision, stepId: first.stepId, step: first.step })
    .from(first)
    .where(lt(first.before, MOST_TOLD_BYTES))
    .orderBy(asc(first.revision));
  return rows.map((r) => ({ revision: r.revision, id: r.stepId, step: r.step }));
}

export type Posted =
  /** On top of what others did since, where there is something and it was allowed. */
  | { readonly outcome: "stored"; readonly revision: number; readonly missing?: readonly StoredStep[] }
  /** Others were first: here is what they did, or the first of it; apply it and send again. */
  | { readonly outcome: "behind"; readonly revision: number; readonly missing: readonly StoredStep[] };

/** Steps that a client sent, and the callbacks that wait for their result. */
interface Post {
  readonly base: number;
  readonly named: readonly NamedStep[];
  readonly rebase: boolean;
  readonly resolve: (posted: Posted) => void;
  readonly reject: (error: unknown) => void;
}

/**
 * So many steps are stored in one transaction, those of the first post in any case: who is first does not wait for very
 * many others, and a statement takes 65,535 parameters, nine a step.
 */
const MOST_AT_ONCE = 1000;

// Pages and routes may load this module each for itself: one queue a process.
const holder = globalThis as { stemzoPosts?: WeakMap<Db, Map<string, Post[]>> };
const waiting = (holder.stemzoPosts ??= new WeakMap());

/**
 * Stores steps made on revision `base`, all or none; `rebase`: on top of what others did since, where it applies. Steps
 * that are stored already, since the answer to them was lost, stand among what was done since and are not stored again.
 * What comes while a transaction of the same session is under way is stored by the next, all of it in one.
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
  const queues = waiting.get(db) ?? new Map<string, Post[]>();
  waiting.set(db, queues);
  return new Promise((resolve, reject) => {
    const post: Post = { base, named, rebase, resolve, reject };
    const queue = queues.get(id);
    if (queue) return void queue.push(post);
    const own = [post];
    queues.set(id, own);
    void storeInTurn(db, id, own, () => queues.delete(id));
  });
}

/** `leave` is called in the same breath in which the queue is found empty: what comes later begins another. */
async function storeInTurn(db: Db, id: string, queue: Post[], leave: () => void): Promise<void> {
  while (queue.length > 0) {
    let [count, stepCount] = [1, queue[0]?.named.length ?? 0];
    for (let next = queue[count]; next && stepCount + next.named.length <= MOST_AT_ONCE; next = queue[count]) {
      stepCount += next.named.length;
      count++;
    }
    const posts = queue.splice(0, count);
    try {
      await storeTogether(db, id, posts);
    } catch (error) {
      // If the batch fails, each post is stored by itself.
      if (posts.length === 1) posts[0]?.reject(error);
      else for (const post of posts) await storeTogether(db, id, [post]).catch(post.reject);
    }
  }
  leave();
}

/** Stores what several sent, one after the other; each is stored as a whole, refused, or told that it is behind. */
async function storeTogether(db: Db, id: string, posts: readonly Post[]): Promise<void> {
  const outcomes = new Map<Post, Posted | Refusal>();
  const at = await db.transaction(async (tx) => {
    const now = await lock(tx, id);
    let at: Current = { ...now, document: await documentOf(tx, now) };
    const answers = await answersFor(tx, now, posts);
    const added: StoredStep[] = [];
    const made: StepRow[] = [];
    for (const post of posts) {
      const { base, named, rebase } = post;
      const before = await answers(base);
      const isAll = (before.at(-1)?.revision ?? now.revision) === now.revision;
      const missing = isAll ? [...before, ...added.filter((s) => s.revision > base)] : before;
      if (base !== at.revision && (!rebase || base > at.revision || !isAll)) {
        outcomes.set(post, { outcome: "behind", revision: at.revision, missing });
        continue;
      }
      const there = new Set(missing.map((m) => m.id));
      try {
        let next = at;
        const own: StepRow[] = [];
        for (const { id: stepId, step } of named) {
          if (there.has(stepId)) continue;
          const { after, row } = await applied(tx, next, stepId, step, "edit");
          if (added.some((s) => s.id === stepId)) throw storedAlready(step, stepId);
          own.push(row);
          next = after;
        }
        at = next;
        made.push(...own);
        added.push(...own.map(({ revision, stepId, step }) => ({ revision, id: stepId, step })));
        outcomes.set(post, {
          ...{ outcome: "stored", revision: at.revision },
          ...(missing.length > 0 ? { missing } : {}),
        });
      } catch (error) {
        if (!(error instanceof Refusal)) throw error;
        outcomes.set(post, error);
      }
    }
    return made.length === 0 ? at : write(tx, at, made);
  });
  keepDocument(id, at);
  for (const post of posts) {
    const outcome = outcomes.get(post);
    if (outcome instanceof Refusal) post.reject(outcome);
    else if (outcome) post.resolve(outcome);
  }
}

/** What others did since each post was made, as far as it is told at once; read once where that is enough for all. */
async function answersFor(
  tx: Connection,
  { id, revision }: Head,
  posts: readonly Post[],
): Promise<(base: number) => Promise<readonly StoredStep[]>> {
  const oldest = Math.min(...posts.map((p) => p.base));
  const since = oldest < revision ? await stepsAfter(tx, id, oldest) : [];
  const isAll = (since.at(-1)?.revision ?? revision) === revision;
  return async (base) => {
    if (base >= revision) return [];
    return isAll || base === oldest ? since.filter((s) => s.revision > base) : stepsAfter(tx, id, base);
  };
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

/** Takes the newest step back, or brings the newest undone one forth; answers with its label and what comes next. */
export async function travel(db: Db, id: string, direction: "undo" | "redo"): Promise<Traveled> {
  const { at, label, labels } = await db.transaction(async (tx) => {
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
    const at = await append(tx, { ...popped, document }, randomUUID(), made.inverse, direction);
    return { at, label: made.label, labels: await labelsOf(tx, at) };
  });
  keepDocument(id, at);
  return { revision: at.revision, label, ...labels };
}

/**
 * Makes a session what it was at a revision, as a step of its own: what is different between now and then, however much
 * was done meanwhile.
 */
export async function returnTo(db: Db, id: string, revision: number, label: string, stepId: string): Promise<number> {
  const at = await db.transaction(async (tx) => {
    const now = await lock(tx, id);
    const document = await documentOf(tx, now);
    const then = await documentBefore(tx, id, document, now.revision, revision);
    const edits = editsBetween(document, then);
    if (edits === null)
      throw invalid("The session cannot go back that far in one step.", [
        { where: "revision", what: "more is different than one step can hold" },
      ]);
    if (edits.length === 0)
      throw new Refusal(409, {
        what: "The session is as it was at that point already.",
        kept: "Nothing was changed.",
        todo: "Choose another one.",
        problems: [],
      });
    return append(tx, { ...now, document }, stepId, { label, edits }, "edit");
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
  const { after, row } = await applied(tx, now, stepId, step, how);
  return write(tx, after, [row]);
}

type StepRow = Required<Omit<typeof steps.$inferInsert, "madeAt">>;

/** What a step makes of a session, and the row that is to be stored of it. Refused where it does not apply. */
async function applied(
  tx: Connection,
  now: Current,
  stepId: string,
  step: Step,
  how: "edit" | "undo" | "redo",
): Promise<{ readonly after: Current; readonly row: StepRow }> {
  const made = applyStep(now.document, step);
  if (!made.ok) throw invalid(`"${step.label}" cannot be applied.`, made.problems);
  const { session: document, inverse, step: whole } = made.value;
  if (document.assets !== now.document.assets) await refuseUnknownAudio(tx, document.assets, now.document.assets);
  const revision = now.revision + 1;
  return {
    after: {
      ...now,
      document,
      revision,
      head: stepId,
      undoStep: how === "undo" ? now.undoStep : revision,
      redoStep: how === "undo" ? revision : how === "redo" ? now.redoStep : null,
    },
    row: {
      ...{ sessionId: now.id, revision, stepId, label: step.label, how, step: whole, inverse },
      below: how === "undo" ? now.redoStep : now.undoStep,
    },
  };
}

/** Stores rows of steps, and the session as it is after the last of them. */
async function write(tx: Connection, at: Current, rows: readonly StepRow[]): Promise<Current> {
  const { id, revision, document } = at;
  const stored = await tx
    .insert(steps)
    .values([...rows])
    .onConflictDoNothing({ target: [steps.sessionId, steps.stepId] })
    .returning({ revision: steps.revision });
  if (stored.length < rows.length) {
    const there = new Set(stored.map((s) => s.revision));
    const [twice] = rows.filter((r) => !there.has(r.revision));
    if (twice) throw storedAlready(twice.step, twice.stepId);
  }
  const isSnapshot =
    revision - at.documentRevision >= SNAPSHOT_EVERY || rows.some((r) => r.step.edits.length >= SNAPSHOT_EDITS);
  const documentRevision = isSnapshot ? revision : at.documentRevision;
  await tx
    .update(sessions)
    .set({
      ...{ revision, head: at.head, undoStep: at.undoStep, redoStep: at.redoStep, documentRevision },
      ...{ name: document.name, tracks: document.tracks.length, changedAt: sql`now()` },
      ...(isSnapshot ? { document } : {}),
    })
    .where(eq(sessions.id, id));
  await announce(tx, { about: "revision", session: id, revision });
  return { ...at, documentRevision };
}

const storedAlready = (step: Step, stepId: string) =>
  invalid(`"${step.label}" is stored already.`, [
    { where: "steps", what: `there is a step with the id "${stepId}" in the session's history` },
  ]);
