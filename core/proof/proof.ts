import type { Manifest } from "../delivery/manifest";
import type { FileFacts, Verdict } from "./judge";
import type { Residual } from "./residual";

/** The measured evidence for one delivery, as stored and shown. */
export interface Proof {
  readonly manifest: Manifest;
  readonly zipBytes: number;
  readonly files: readonly (FileFacts & { readonly picture: Picture })[];
  readonly residual: Residual | null;
  /** Why the stems need not add up to the mix before its chain; empty when they must. */
  readonly unsummable: readonly string[];
  readonly verdict: Verdict;
}

/**
 * A file drawn small: lowest and highest sample (-127 to 127) of equal spans, and short-term loudness of equal spans.
 */
export interface Picture {
  readonly peaks: readonly number[];
  readonly loudness: readonly (number | null)[];
}
