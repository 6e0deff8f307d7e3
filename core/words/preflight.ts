import type { Finding } from "../delivery/preflight";
import { formatClock } from "../time/clock";

type Kind = Finding["kind"];
type Of<K extends Kind> = Extract<Finding, { readonly kind: K }>;

interface Said {
  readonly what: string;
  /** For the receiver. */
  readonly means: string;
  /** On the button that mends it, where something does. */
  readonly fix?: string;
}

const plural = (count: number, one: string, many: string) => (count === 1 ? one : many);

const sentences: { readonly [K in Kind]: (finding: Of<K>) => Said } = {
  "nothing sounds": () => ({
    what: "No track of the session sounds.",
    means: "There is nothing to export: bring in audio, or open a valve.",
  }),
  "silent stem": ({ stem, why }) => ({
    what: `"${stem}" will be silent: ${why}.`,
    means: "The receiver gets a file with nothing in it.",
    fix: "Leave it out",
  }),
  "stem without a name": ({ stem }) => ({
    what: `A stem is called "${stem}".`,
    means: "Nobody will know what it is: give it a name in its row.",
  }),
  "in no stem": ({ track }) => ({
    what: `"${track}" is in no stem.`,
    means: "It sounds in the mix but not in the delivery.",
    fix: "Add it",
  }),
  "absent device": ({ device, track }) => ({
    what: `"${device}" on "${track}" is not installed here.`,
    means: "The sound passes it unchanged; the receiver does not hear what it did.",
  }),
  "real time only": ({ device, track }) => ({
    what: `"${device}" on "${track}" works in real time only.`,
    means: "An export renders ahead, so it cannot wait for the hardware.",
    fix: "Switch it off",
  }),
  "stale freeze": ({ track }) => ({
    what: `"${track}" is frozen and has changed since.`,
    means: "The stem would carry the old sound.",
    fix: "Unfreeze",
  }),
  "stray clips": ({ clips, track, atS, gapS, longerS }) => ({
    what: `${plural(clips, "A clip", `${clips} clips`)} on "${track}" ${plural(clips, "stands", "stand")} alone at ${formatClock(atS)}, ${formatClock(gapS)} after everything else.`,
    means: `Every stem gets ${formatClock(longerS)} longer, nearly all of it silence.`,
    fix: plural(clips, "Remove it", "Remove them"),
  }),
  "does not add up": ({ reason }) => ({
    what: `The stems will not add up to the mix exactly: ${reason}.`,
    means: "The proof will show the difference as a figure, not as a fault.",
  }),
};

/** What was found before an export, what it means for the receiver, and what is written on what mends it. */
export const sayFinding = <K extends Kind>(finding: Of<K>): Said =>
  (sentences[finding.kind as K] as (finding: Of<K>) => Said)(finding);
