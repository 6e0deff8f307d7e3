import type { Finding } from "../delivery/finding";
import { sayGap } from "./coverage";
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
    means: "There is nothing to export: import audio, or unmute a track.",
  }),
  "missing files": ({ files }) => ({
    what: `${plural(files.length, `"${files[0] ?? ""}" is`, `${files.length} files are`)} missing.`,
    means: "Silence stands in their place: relink them on the Bench, or the receiver gets holes.",
  }),
  muted: ({ tracks }) => ({
    what: `${tracks.join(", ")} ${plural(tracks.length, "is", "are")} muted.`,
    means: `${plural(tracks.length, "It is", "They are")} in no stem's sound and not in the mix.`,
    fix: plural(tracks.length, "Unmute it", "Unmute them"),
  }),
  parked: ({ tracks }) => ({
    what: `${tracks.join(", ")} ${plural(tracks.length, "is", "are")} parked.`,
    means: `${plural(tracks.length, "It rests", "They rest")} and no print of the whole stands in ${plural(tracks.length, "its", "their")} place.`,
    fix: plural(tracks.length, "Unpark it", "Unpark them"),
  }),
  "silent stem": ({ stem, why }) => ({
    what: `"${stem}" will be silent: ${why}.`,
    means: "The receiver gets a file with nothing in it.",
    fix: "Leave it out",
  }),
  "stem without a name": ({ stem }) => ({
    what: `A stem is called "${stem}".`,
    means: "The receiver cannot tell what it is: give it a name in its row.",
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
  "outgrown sheet": () => ({
    what: "The sound of the imported stems was changed.",
    means:
      "The stems now hold devices, faders and edits, with dither. Unchanged, they were copies of the imported files.",
    fix: "",
  }),
  "same name": ({ stem, better }) => ({
    what: `Two stems are called "${stem}".`,
    means: "Their files differ by a number alone; the receiver has to guess which is which.",
    fix: `Call it "${better}"`,
  }),
  "mix chain in stems": ({ stems, of }) => ({
    what:
      stems === of
        ? "All stems go through the mix's chain."
        : `${stems} of ${of} stems go through the mix's chain, the others do not.`,
    means:
      stems === of
        ? "They sound as the mix does together. The receiver cannot take that chain off again, and should not lay another over it."
        : "They do not belong together: the receiver's sum is neither the mix before its chain nor after it.",
    fix: "Take them up to the mix",
  }),
  "return twice": ({ stem }) => ({
    what: `"${stem}" is delivered alone and is in the stems as well.`,
    means: "With all files playing it is heard twice.",
    fix: "Do not export it alone",
  }),
  "was silent": ({ stem }) => ({
    what: `"${stem}" had no sound in it in the last export.`,
    means: "The receiver gets a file with nothing in it, if that is still so.",
    fix: "Do not export it",
  }),
  "mono as stereo": ({ stem }) => ({
    what: `"${stem}" is one channel, delivered as two that are the same.`,
    means: "Twice the bytes; some programs then pan it as if it were wide.",
    fix: "One channel where both are the same",
  }),
  clipped: ({ stems }) => ({
    what: `${stems.join(", ")} went over full scale in the last export.`,
    means: "Whole-number files hold it at full scale, which can be heard. Float files keep it.",
    fix: "Deliver 32-bit float",
  }),
  "wrong rate": ({ rate, wanted, receiver }) => ({
    what: `${receiver} works at ${wanted / 1000} kHz; the sheet says ${rate / 1000} kHz.`,
    means: "Their program would convert it, or play it at the wrong speed.",
    fix: `Deliver ${wanted / 1000} kHz`,
  }),
  "no float in FLAC": () => ({
    what: "FLAC holds whole numbers only, so 24 bits are written.",
    means: "What is over full scale is held at it.",
    fix: "Deliver WAV",
  }),
  "too long for AIFF": () => ({
    what: "The files would be larger than the 4 GB an AIFF holds.",
    means: "They cannot be written.",
    fix: "Deliver WAV",
  }),
  solo: ({ tracks }) => ({
    what: `${tracks.join(", ")} ${plural(tracks.length, "is", "are")} heard alone at the moment.`,
    means: "That is for your ears only: an export holds everything.",
  }),
  "does not add up": ({ gap }) => ({
    what: `The stems will not add up to the mix exactly: ${sayGap(gap)}.`,
    means: "The proof will show the difference as a figure, not as a fault.",
  }),
};

/** What was found before an export, what it means for the receiver, and what is written on what mends it. */
export const sayFinding = <K extends Kind>(finding: Of<K>): Said =>
  (sentences[finding.kind as K] as (finding: Of<K>) => Said)(finding);
