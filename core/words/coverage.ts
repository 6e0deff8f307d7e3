import type { Gap } from "../delivery/coverage";

/** Why the stems need not add up to the mix, in words. */
export function sayGap(gap: Gap): string {
  switch (gap.kind) {
    case "not ticked":
      return `${gap.stems === 1 ? "1 stem is" : `${gap.stems} stems are`} not ticked`;
    case "before its fader":
      return `"${gap.stem}" is tapped before its fader`;
    case "before its group":
      return `"${gap.stem}" is tapped before its group`;
    case "through the mix alone":
      return `"${gap.stem}" goes through the mix's chain, others do not`;
    case "folded to mono":
      return `"${gap.stem}" is folded to mono`;
    case "returns in some stems":
      return "returns are baked into some stems and not into others";
    case "return twice":
      return `"${gap.track}" is delivered alone and baked into stems`;
    case "in no stem":
      return `"${gap.track}" is in no stem`;
    case "in several stems":
      return `"${gap.track}" is in ${gap.stems} stems`;
    case "not linear":
      return `${gap.device} on "${gap.track}" is not linear, so its shares do not add up exactly`;
    case "changed files alone":
      return "only what changed is in this package";
  }
}
