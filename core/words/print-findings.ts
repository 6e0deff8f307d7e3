import type { Finding } from "../printing/findings";
import type { Hertz } from "../units";
import { formatNumber } from "./numbers";

interface Said {
  readonly what: string;
  /** On what mends it, where it can be mended. */
  readonly fix: string | null;
}

/** What was found in a finished print, in a sentence; `print` is its name, `rate` the session's. */
export function sayPrintFinding(finding: Finding, print: string, rate: Hertz): Said {
  switch (finding.kind) {
    case "cut tail":
      return {
        what: `${print} still sounds where it ends (${formatNumber(finding.endDb, 0)} dBFS): its tail is cut.`,
        fix: "Print it again with its tail",
      };
    case "clipped": {
      const one = finding.samples === 1;
      return {
        what: `${finding.samples} ${one ? "sample" : "samples"} of ${print} went beyond full scale and ${one ? "is" : "are"} cut off there. Print it in float, or softer.`,
        fix: null,
      };
    }
    case "edge":
      return {
        what: `${print} ${finding.at === "start" ? "begins" : "ends"} with a jump of ${formatNumber(finding.jumpDb, 0)} dBFS, which clicks.`,
        fix: "Fade half a millisecond",
      };
    case "dull attack":
      return {
        what: `The fade of ${finding.name || "a clip"} lies over its first hit and takes ${formatNumber(finding.lossDb, 0)} dB from its attack (${Math.round((finding.fadeFrames / rate) * 1000)} ms).`,
        fix: "Shorten the fade and print it again",
      };
  }
}
