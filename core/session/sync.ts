import type { Session } from "./document";
import type { Step } from "./edits";
import { applyStep } from "./edits";
import type { Problem } from "./problem";

/** A step with an id of its own, so that a step sent twice is stored once and its maker knows it again. */
export interface NamedStep {
  readonly id: string;
  readonly step: Step;
}

/** A step the server has stored, and the revision it made. */
export interface StoredStep extends NamedStep {
  readonly revision: number;
}

/**
 * One tab's view of a session that others edit too: the last state the server confirmed, the steps
 * made here that it has not confirmed yet, and both together as what is shown.
 */
export interface Sync {
  readonly revision: number;
  readonly confirmed: Session;
  readonly pending: readonly NamedStep[];
  readonly shown: Session;
}

export interface RefusedStep extends NamedStep {
  readonly problems: readonly Problem[];
}

export interface Outcome {
  readonly sync: Sync;
  readonly refused: readonly RefusedStep[];
}

export const startSync = (session: Session, revision: number): Sync => ({
  revision,
  confirmed: session,
  pending: [],
  shown: session,
});

/** Adds a step made here; refused when it does not apply to what is shown. */
export function propose(sync: Sync, named: NamedStep): Outcome {
  const result = applyStep(sync.shown, named.step);
  if (!result.ok) return { sync, refused: [{ ...named, problems: result.problems }] };
  return { sync: { ...sync, pending: [...sync.pending, named], shown: result.value.session }, refused: [] };
}

/**
 * Takes steps the server stored, in order; those already known are passed over. Steps pending here that are among them
 * are confirmed; the others are applied again on top, and one that no longer applies is handed back, never dropped
 * silently.
 */
export function receive(sync: Sync, stored: readonly StoredStep[]): Outcome {
  let { revision, confirmed } = sync;
  for (const { revision: made, step } of stored) {
    if (made <= revision) continue;
    if (made !== revision + 1) throw new RangeError(`revision ${made} came after ${revision}`);
    const result = applyStep(confirmed, step);
    if (!result.ok) throw new RangeError(`stored revision ${made} does not apply: ${result.problems[0]?.what ?? ""}`);
    confirmed = result.value.session;
    revision = made;
  }
  const known = new Set(stored.map((s) => s.id));
  return rebase({ revision, confirmed, pending: sync.pending.filter((p) => !known.has(p.id)), shown: confirmed });
}

/** Takes back a pending step that the server refused. */
export const withdraw = (sync: Sync, id: string): Outcome =>
  rebase({ ...sync, pending: sync.pending.filter((p) => p.id !== id) });

function rebase(sync: Sync): Outcome {
  const refused: RefusedStep[] = [];
  const pending: NamedStep[] = [];
  let shown = sync.confirmed;
  for (const named of sync.pending) {
    const result = applyStep(shown, named.step);
    if (result.ok) {
      shown = result.value.session;
      pending.push(named);
    } else refused.push({ ...named, problems: result.problems });
  }
  return { sync: { ...sync, pending, shown }, refused };
}
