import type { Session } from "./document";
import type { Step } from "./edits";
import { applyStep } from "./edits";
import type { Problem } from "./problem";

/**
 * One tab's view of a session that others edit too: the last state the server confirmed, the steps
 * made here that it has not confirmed yet, and both together as what is shown.
 */
export interface Sync {
  readonly revision: number;
  readonly confirmed: Session;
  readonly pending: readonly Step[];
  readonly shown: Session;
}

/** A step the server has stored, and the revision it made. */
export interface StoredStep {
  readonly revision: number;
  readonly step: Step;
}

export type Outcome = { readonly sync: Sync; readonly refused: readonly { readonly step: Step; readonly problems: readonly Problem[] }[] };

export const startSync = (session: Session, revision: number): Sync => ({ revision, confirmed: session, pending: [], shown: session });

/** Adds a step made here; refused when it does not apply to what is shown. */
export function propose(sync: Sync, step: Step): Outcome {
  const result = applyStep(sync.shown, step);
  if (!result.ok) return { sync, refused: [{ step, problems: result.problems }] };
  return { sync: { ...sync, pending: [...sync.pending, step], shown: result.value.session }, refused: [] };
}

/**
 * Takes steps the server stored, in order; those already known are passed over. `own` is how many of the
 * first pending steps are among them. Steps pending here are applied again on top; one that no longer
 * applies is handed back as refused, never dropped silently.
 */
export function receive(sync: Sync, stored: readonly StoredStep[], own = 0): Outcome {
  let { revision, confirmed } = sync;
  for (const { revision: made, step } of stored) {
    if (made <= revision) continue;
    if (made !== revision + 1) throw new RangeError(`revision ${made} came after ${revision}`);
    const result = applyStep(confirmed, step);
    if (!result.ok) throw new RangeError(`stored revision ${made} does not apply: ${result.problems[0]?.what ?? ""}`);
    confirmed = result.value.session;
    revision = made;
  }
  const refused: { step: Step; problems: readonly Problem[] }[] = [];
  const pending: Step[] = [];
  let shown = confirmed;
  for (const step of sync.pending.slice(own)) {
    const result = applyStep(shown, step);
    if (result.ok) {
      shown = result.value.session;
      pending.push(step);
    } else refused.push({ step, problems: result.problems });
  }
  return { sync: { revision, confirmed, pending, shown }, refused };
}
