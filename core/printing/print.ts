import type { Tail } from "../engine/tail";
import type { Tap } from "../engine/tap";
import type { Asset, Session } from "../session/document";
import type { Edit } from "../session/edits";
import type { Frames } from "../units";
import type { Sameness } from "./sameness";
import type { Slip } from "./slip";

/** One file of a print. All of a plan's files come out of one pass over `PrintPlan.session`. */
export interface PrintFile {
  readonly name: string;
  /** Tracks whose sound is in it; one, unless they are printed together. */
  readonly sources: readonly string[];
  readonly tap: Tap;
  readonly from: Frames;
  /** Where its content ends and its tail may follow. */
  readonly to: Frames;
  /** Frames of the timeline at which it is placed: its own first one, or wherever its phrase is. */
  readonly at: readonly Frames[];
  /** It rings into the next piece, which must not cut it off. */
  readonly layered: boolean;
  /** Of a pad's layer: the velocities that play it. */
  readonly velocities: { readonly softest: number; readonly loudest: number } | null;
  /** Only one of both channels, for two mono files. */
  readonly side: "left" | "right" | null;
  readonly fingerprint: string;
}

export interface PrintPlan extends Sameness {
  readonly slip: Slip;
  /** The session as it is rendered: sources live, and a copy of a track for each piece that sounds alone. */
  readonly session: Session;
  readonly files: readonly PrintFile[];
  readonly tail: Tail;
  /** Where a stretch ends inside the session. */
  readonly endAt: Frames | null;
  /** In words: what is in the print for good, and what goes on living on its new track. */
  readonly baked: readonly string[];
  readonly live: readonly string[];
  readonly warnings: readonly PrintWarning[];
}

/** Something that is probably not meant, and what mends it: another slip, or edits of the session. */
export interface PrintWarning {
  readonly what: string;
  readonly fix: { readonly label: string; readonly slip?: Partial<Slip>; readonly edits?: readonly Edit[] } | null;
}

/** A file of a plan with its audio in the store. */
export interface Printed {
  readonly file: PrintFile;
  readonly asset: Asset;
}
