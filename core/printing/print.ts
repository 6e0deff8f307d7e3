import type { Baked, Live } from "./baked-kinds";
import type { Tail } from "../engine/tail";
import type { Tap } from "../engine/tap";
import type { Asset, Session } from "../session/document";
import type { Edit } from "../session/edits";
import type { Frames } from "../units";
import type { Reason } from "./reasons";
import type { Sameness } from "./reasons";
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
  /** It ends where all files of its plan end: the latest end of any of their tails. */
  readonly even: boolean;
  /** Another cut of the same, which lies on the shelf whatever the slip says of its place. */
  readonly apart: boolean;
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
  readonly baked: readonly Baked[];
  readonly live: readonly Live[];
  readonly warnings: readonly PrintWarning[];
}

/** What mends a warning: another slip, or edits of the session. */
export interface Mend {
  readonly slip?: Partial<Slip>;
  readonly edits?: readonly Edit[];
}

/**
 * Something that is probably not meant, as data: its names, and what mends it. The sentences are in
 * `core/words/warnings.ts`.
 */
export type PrintWarning = { readonly mend: Mend | null } & (
  | { readonly kind: "muted"; readonly track: string }
  | { readonly kind: "absent"; readonly device: string; readonly track: string }
  | { readonly kind: "mix chain" | "passes twice" | "both would sound" | "parks the rest" }
  /** Run into what is printed, and are not heard in it. */
  | { readonly kind: "muted inside"; readonly tracks: readonly string[] }
  | { readonly kind: "parked inside"; readonly tracks: readonly string[] }
  | { readonly kind: "stale freezes"; readonly tracks: readonly string[] }
  | { readonly kind: "in both prints"; readonly track: string; readonly group: string }
  | { readonly kind: "stray"; readonly clip: string }
  /** Nothing of these tracks lies in the range: they get no file. */
  | { readonly kind: "nothing there"; readonly tracks: readonly string[] }
  /** So many controls were ridden in a live pass, and move in it. */
  | { readonly kind: "ridden"; readonly controls: number }
  /** Others are soloed, which is for listening. */
  | { readonly kind: "soloed" }
  | { readonly kind: "differs"; readonly reason: Reason; readonly certain: boolean }
);

/** A file of a plan with its audio in the store. */
export interface Printed {
  readonly file: PrintFile;
  readonly asset: Asset;
}
