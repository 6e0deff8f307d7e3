import type { Tap } from "../engine/tap";
import type { Depth } from "../units";

const places: { readonly [at in (Tap & { readonly kind: "path" })["at"]]: string } = {
  clip: "the clips alone, before their devices",
  devices: "after their devices, before fader and pan",
  channel: "after fader and pan, before their groups",
  group: "through their groups",
};

/** What a receiver gets in one file, by where it was taken: for the sheet of a delivery. */
export const formatTap = (tap: Tap): string =>
  tap.kind === "mix"
    ? `the whole mix ${tap.at}`
    : [
        places[tap.at],
        tap.returns ? "returns in it" : "without returns",
        ...(tap.linked ? ["dynamics moved by the whole"] : []),
      ].join(", ");

export const formatDepth = (depth: Depth): string => (depth === "32f" ? "32-bit float" : `${depth}-bit`);

export const formatChannels = (channels: number): string => (channels === 1 ? "mono" : "stereo");
