import type { Manifest } from "../delivery/manifest";
import type { Content } from "./content";
import type { FileFacts, Mark } from "./judge";
import type { Residual } from "./residual";

/** The measured evidence for one delivery, as stored and shown: its findings are in words. */
export interface Proof {
  readonly manifest: Manifest;
  readonly zipBytes: number;
  readonly files: readonly ProvenFile[];
  readonly residual: Residual | null;
  /** Why the stems need not add up to the mix before its chain; empty when they must. */
  readonly unsummable: readonly string[];
  readonly verdict: Verdict;
}

export interface ProvenFile extends Omit<FileFacts, "content"> {
  readonly content?: Omit<Content, "cause"> & { readonly cause: string | null };
  readonly picture: Picture;
}

export interface Cell {
  readonly mark: Mark;
  readonly text: string;
}

/** One question asked of every file. */
export interface Check {
  readonly id: string;
  readonly name: string;
  readonly cells: readonly Cell[];
}

export interface Verdict {
  readonly mark: Mark;
  readonly checks: readonly Check[];
  readonly sum: Cell;
  /** On what lies beside the audio; proofs of earlier days have none. */
  readonly beside?: Cell;
}

/**
 * A file drawn small: lowest and highest sample (-127 to 127) of equal spans, and short-term loudness of equal spans.
 */
export interface Picture {
  readonly peaks: readonly number[];
  readonly loudness: readonly (number | null)[];
}
