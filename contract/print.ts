import type { Slip } from "../core/printing/slip";

/** A print and where it came from. */
export interface PrintRecord {
  readonly id: string;
  readonly job: string;
  readonly asset: string;
  readonly name: string;
  readonly slip: Slip;
  /** Which file of its job it is. */
  readonly place: number;
  readonly sources: readonly string[];
  readonly fingerprint: string;
  readonly revisionBefore: number;
  readonly revisionAfter: number;
  readonly checked: boolean;
  /** Of the mix before taken from the mix after; null where nothing was left, or it was not compared. */
  readonly residueDb: number | null;
  readonly madeAt: string;
}
