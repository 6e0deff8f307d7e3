import type { LoadReport } from "../core/engine/load";
import type { Session } from "../core/session/document";
import type { StoredStep } from "../core/session/sync";

/** The load of every track as it was measured at a revision. */
export interface MeasuredLoad extends LoadReport {
  readonly revision: number;
}

export interface SessionState {
  readonly id: string;
  readonly revision: number;
  readonly document: Session;
  /** What undo and redo would take back and bring back; null when there is nothing. */
  readonly undo: string | null;
  readonly redo: string | null;
  readonly load: MeasuredLoad | null;
}

export interface SessionSummary {
  readonly id: string;
  readonly name: string;
  readonly tracks: number;
  readonly revision: number;
  readonly changedAt: string;
  readonly deletedAt: string | null;
}

/** What the event stream sends as `steps`. */
export interface StepsEvent {
  readonly steps: readonly StoredStep[];
  readonly undo: string | null;
  readonly redo: string | null;
}
