import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";
import { canonicalJson } from "../canonical";

/**
 * Where a render listens. A path tap sums its sources at one point: before their devices (`clip`), after them
 * (`devices`), after their own fader, pan and mute (`channel`), after every group on the way to the mix (`group`), or
 * through the mix and its chain as well (`mix`). With `returns`, what their sends produce is added, through an instance
 * of each return that hears only them. With `linked`, dynamics on those groups, returns and the mix apply the gain they
 * find for the whole signal, so that shares of it add up to it. A device tap listens to one path right in front of one
 * of its devices: the mix's before any of its chain, say.
 */
export type Tap =
  | {
      readonly kind: "path";
      readonly sources: readonly string[];
      readonly at: "clip" | "devices" | "channel" | "group" | "mix";
      readonly returns: boolean;
      readonly linked: boolean;
    }
  | { readonly kind: "device"; readonly track: string; readonly device: string }
  | { readonly kind: "mix"; readonly at: "before its chain" | "after its chain" };

/** Where a delivered file is taken. */
export type StemTap = Exclude<Tap, { readonly kind: "device" }>;

export const MIX_BEFORE: StemTap = { kind: "mix", at: "before its chain" };
export const MIX_AFTER: StemTap = { kind: "mix", at: "after its chain" };

/** What a tap's own part of a graph is called, which other taps do not change: 16 hexadecimal digits. */
export const tapName = (tap: Tap): string => bytesToHex(sha256(utf8ToBytes(canonicalJson(tap)))).slice(0, 16);
