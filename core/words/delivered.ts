import type { StemTap } from "../engine/tap";

const places: { readonly [at in (StemTap & { readonly kind: "path" })["at"]]: string } = {
  clip: "the clips alone, before devices",
  devices: "after devices, before fader and pan",
  channel: "after fader and pan, before groups",
  group: "through groups",
  mix: "through groups and the mix's chain",
};

/**
 * What a receiver gets in one file, by where it was taken: for the sheet of a delivery. `isReturn`: of nothing but
 * returns.
 */
export const formatTap = (tap: StemTap, isReturn: boolean): string =>
  tap.kind === "mix"
    ? `the whole mix ${tap.at}`
    : [
        places[tap.at],
        isReturn ? "a return by itself" : tap.returns ? "returns in it" : "without returns",
        ...(tap.linked ? ["shared dynamics follow the whole"] : []),
      ].join(", ");

export const formatChannels = (channels: number): string => (channels === 1 ? "mono" : "stereo");
