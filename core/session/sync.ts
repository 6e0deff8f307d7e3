import type { Session } from "./document";
import type { Step } from "./apply";
import { applyTyped } from "./apply";
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
  readonly pending: readonly PendingStep[];
  readonly shown: Session;
}

/** A step that is shown and not confirmed yet, with the session it led to. */
interface PendingStep extends NamedStep {
  readonly after: Session;
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
  const result = applyTyped(sync.shown, named.step);
  if (!result.ok) return { sync, refused: [{ ...named, problems: result.problems }] };
  const { session } = result.value;
  return { sync: { ...sync, pending: [...sync.pending, { ...named, after: session }], shown: session }, refused: [] };
}

/**
 * Takes steps the server stored, in order; those already known are passed over. Steps pending here that are among them
 * are confirmed; the others are applied again on top, and one that no longer applies is handed back, never dropped
 * silently.
 */
export function receive(sync: Sync, stored: readonly StoredStep[]): Outcome {
  let { revision, confirmed } = sync;
  let next = 0;
  for (const { revision: made, id, step } of stored) {
    if (made <= revision) continue;
    if (made !== revision + 1) throw new RangeError(`revision ${made} came after ${revision}`);
    // The server took just what was made here, in this order: what it led to is known, and stays the same objects.
    const own = sync.pending[next];
    if (own?.id === id) {
      confirmed = own.after;
      revision = made;
      next++;
      continue;
    }
    next = Infinity;
    const result = applyTyped(confirmed, step);
    if (!result.ok) throw new RangeError(`stored revision ${made} does not apply: ${result.problems[0]?.what ?? ""}`);
    confirmed = result.value.session;
    revision = made;
  }
  const known = new Set(stored.map((s) => s.id));
  const pending = sync.pending.filter((p) => !known.has(p.id));
  if (next === sync.pending.length - pending.length)
    return { sync: { revision, confirmed, pending, shown: pending.at(-1)?.after ?? confirmed }, refused: [] };
  return rebase({ revision, confirmed, pending, shown: confirmed });
}

/** Takes back a pending step that the server refused. */
export const withdraw = (sync: Sync, id: string): Outcome =>
  rebase({ ...sync, pending: sync.pending.filter((p) => p.id !== id) });

function rebase(sync: Sync): Outcome {
  const refused: RefusedStep[] = [];
  const pending: PendingStep[] = [];
  let shown = sync.confirmed;
  for (const named of sync.pending) {
    const result = applyTyped(shown, named.step);
    if (result.ok) {
      shown = result.value.session;
      pending.push({ ...named, after: shown });
    } else refused.push({ ...named, problems: result.problems });
  }
  return { sync: { ...sync, pending, shown }, refused };
}
