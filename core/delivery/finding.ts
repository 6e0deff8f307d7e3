import type { Step } from "../session/edits";
import type { Seconds } from "../units";
import type { Gap } from "./coverage";

/**
 * Something to know before an export, as data: what it is about, and the step that mends it. What concerns several
 * stems or tracks is one finding with their names. The sentences are in `core/words/preflight.ts`.
 */
export type Finding = {
  readonly id: string;
  readonly weight: "stop" | "look" | "know";
  readonly fix: Step | null;
} & (
  | { readonly kind: "nothing sounds" }
  | { readonly kind: "missing files"; readonly files: readonly string[] }
  | { readonly kind: "silent stem"; readonly stems: readonly string[]; readonly why: "muted" | "parked" }
  | { readonly kind: "stem without a name"; readonly stems: readonly string[] }
  | { readonly kind: "in no stem" | "stale freeze"; readonly tracks: readonly string[] }
  | { readonly kind: "absent device" | "real time only"; readonly device: string; readonly tracks: readonly string[] }
  | {
      readonly kind: "stray clips";
      readonly clips: number;
      readonly track: string;
      /** Where they stand, how long nothing was there before, and how much longer they make everything. */
      readonly atS: Seconds;
      readonly gapS: Seconds;
      readonly longerS: Seconds;
    }
  | { readonly kind: "does not add up"; readonly gaps: readonly Gap[] }
  | { readonly kind: "same name"; readonly stems: readonly { readonly name: string; readonly better: string }[] }
  | { readonly kind: "mix chain in stems"; readonly stems: number; readonly of: number }
  | { readonly kind: "return twice" | "was silent" | "mono as stereo" | "clipped"; readonly stems: readonly string[] }
  | { readonly kind: "wrong rate"; readonly rate: number; readonly wanted: number; readonly receiver: string }
  | { readonly kind: "no float in FLAC" | "too long for AIFF" }
  | { readonly kind: "solo"; readonly tracks: readonly string[] }
  /** Heard neither in a stem nor in the mix. */
  | { readonly kind: "muted"; readonly tracks: readonly string[] }
  | { readonly kind: "parked"; readonly tracks: readonly string[] }
  /** The sheet came with a set of stems whose sound was changed since. */
  | { readonly kind: "outgrown sheet" }
);
