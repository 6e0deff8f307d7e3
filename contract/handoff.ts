import type { Manifest } from "../core/stems/manifest";
import type { Proof } from "../core/proof/proof";

/** A finished export in a list. */
export interface HandoffSummary {
  readonly id: string;
  readonly revision: number;
  readonly fileName: string;
  readonly files: number;
  readonly bytes: number;
  /** Null until it is proven. */
  readonly mark: Proof["verdict"]["mark"] | null;
  readonly madeAt: string;
}

/**
 * A finished export, with its proof once that is made. `mixBefore` is the hash of the mix before its chain, from the
 * same pass.
 */
export interface Handoff {
  readonly id: string;
  readonly session: string;
  readonly revision: number;
  readonly fileName: string;
  readonly mixBefore: string;
  /** Of the pass, times real time. */
  readonly speed: number;
  readonly madeAt: string;
  readonly manifest: Manifest;
  readonly bytes: number;
  /** Null until it is proven. */
  readonly proof: Proof | null;
}
