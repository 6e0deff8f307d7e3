import type { Automation } from "../session/document";

/** Something that is in a print for good. The words are in `core/words/baked.ts`. */
export type Baked =
  | { readonly kind: "pad layers" | "clips" | "channel" | "returns" | "whole mix" | "into the mix" | "source alone" }
  | { readonly kind: "device" | "group" | "mix chain"; readonly name: string }
  | { readonly kind: "moves"; readonly controls: number }
  /** Null: of no control at all. */
  | { readonly kind: "no automation"; readonly of: readonly Automation["target"][] | null };

/** Something that stays to be set on the track that plays a print. */
export type Live =
  | { readonly kind: "whole kit" | "layer of a pad" | "on the shelf" | "muted before the mix" }
  | { readonly kind: "devices" | "fader" | "automated fader" | "pan" | "outputs" }
  | { readonly kind: "these devices"; readonly names: readonly string[] }
  /** Null: of several tracks. */
  | { readonly kind: "sends"; readonly count: number | null }
  | { readonly kind: "output"; readonly name: string };
