import type { Baked, Live } from "../baked-kinds";
import type { Phrase, Session, Track } from "../../session/document";
import type { Edit, Step } from "../../session/edits";
import type { TempoMap } from "../../time/tempo";
import type { Frames } from "../../units";
import type { Checked } from "../../session/problem";
import type { Piece } from "../pieces";
import type { Printed } from "../print";
import type { Reason } from "../reasons";
import type { Why } from "../refusals";
import type { Slip } from "../slip";

/** The step that takes a print back, and the tracks that it brings back. */
export type Reopened = Checked<{ readonly step: Step; readonly tracks: readonly string[] }>;

/** What a question about a print is asked of. */
export interface Asked {
  readonly session: Session;
  readonly slip: Slip;
  readonly tracks: readonly Track[];
  readonly tempo: TempoMap;
  /** The stretch of the timeline that is printed, where it is one. */
  readonly stretch: { readonly from: Frames; readonly to: Frames } | null;
}

/**
 * A member of the print family: what is printed (clips, a phrase, a pad), or how (as a loop, with a live pass, through
 * hardware). Each is asked the same questions; what it has nothing to say to it leaves out.
 */
export interface Member {
  /** It is a thing of a device and not of a track: no tap, no automation, no tail and no parking concerns it. */
  readonly apart?: true;
  /** What is in its print for good, and what stays live, where that is not as of any print. */
  readonly baked?: readonly Baked[];
  readonly live?: readonly Live[];
  /** Why it cannot be printed again from its source. */
  readonly refusesAgain?: Why;
  /** The phrase that is printed, where it is one, and in place of which its print is put. */
  phraseOf?(slip: Slip): string | null;
  /** Why a track cannot be printed so; null: it can. */
  refusesTrack?(asked: Asked, track: Track): Why | null;
  /** What speaks against the slip as a whole. */
  refuses?(asked: Asked): readonly Why[];
  /** What becomes one file each, and the phrases that are played for it alone. */
  pieces?(asked: Asked): { readonly pieces: readonly Piece[]; readonly phrases: readonly Phrase[] };
  /** Why it cannot sound as its source; null: nothing of this member speaks against it. */
  differs?(asked: Asked): Reason | null;
  /** Why it perhaps does not, depending on what is heard. */
  mayDiffer?(asked: Asked): Reason | null;
  /** What it changes in the session all by itself; null: its prints are placed as the slip says. */
  step?(asked: Asked, printed: readonly Printed[], newId: () => string): readonly Edit[] | null;
  /** Takes its placing back, where that is not as of any print. `before`: the session right before it was placed. */
  reopen?(now: Session, before: Session, slip: Slip): Reopened;
}
