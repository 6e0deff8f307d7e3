import type { Finding } from "../delivery/finding";
import { sayGap } from "./coverage";
import { formatClock } from "../time/clock";

type Kind = Finding["kind"];
type Of<K extends Kind> = Finding & { readonly kind: K };

interface Said {
  readonly what: string;
  /** For the receiver. */
  readonly means: string;
  /** On the button that mends it, where something does. */
  readonly fix?: string;
}

const plural = (count: number, one: string, many: string) => (count === 1 ? one : many);

/** Names in quotes, in one list. */
function quoted(names: readonly string[]): string {
  const all = names.map((name) => `"${name}"`);
  return all.length < 2 ? all.join("") : `${all.slice(0, -1).join(", ")} and ${all.at(-1) ?? ""}`;
}

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
  "silent stem": ({ stems, why }) => ({
    what: `${quoted(stems)} will be silent: ${why}.`,
    means: `The receiver gets ${plural(stems.length, "a file", "files")} with nothing in ${plural(stems.length, "it", "them")}.`,
    fix: plural(stems.length, "Leave it out", "Leave them out"),
  }),
  "stem without a name": ({ stems }) => ({
    what: `${plural(stems.length, "A stem is", `${stems.length} stems are`)} called ${quoted(stems)}.`,
    means: `The receiver cannot tell what ${plural(stems.length, "it is: give it a name in its row", "they are: give them names in their rows")}.`,
  }),
  "in no stem": ({ tracks }) => ({
    what: `${quoted(tracks)} ${plural(tracks.length, "is", "are")} in no stem.`,
    means: `${plural(tracks.length, "It sounds", "They sound")} in the mix but not in the delivery.`,
    fix: plural(tracks.length, "Add it", "Add them"),
  }),
  "absent device": ({ device, tracks }) => ({
    what: `"${device}" on ${quoted(tracks)} is not installed here.`,
    means: "The sound passes it unchanged; the receiver does not hear what it did.",
  }),
  "real time only": ({ device, tracks }) => ({
    what: `"${device}" on ${quoted(tracks)} works in real time only.`,
    means: "An export renders ahead, so it cannot wait for the hardware.",
    fix: "Switch it off",
  }),
  "stale freeze": ({ tracks }) => ({
    what: `${quoted(tracks)} ${plural(tracks.length, "is frozen and has", "are frozen and have")} changed since.`,
    means: `${plural(tracks.length, "The stem", "The stems")} would carry the old sound.`,
    fix: plural(tracks.length, "Unfreeze", "Unfreeze them"),
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
  "same name": ({ stems }) => ({
    what: `Several stems are called ${quoted([...new Set(stems.map((s) => s.name))])}.`,
    means: "Their files differ by a number alone; the receiver has to guess which is which.",
    fix: `Call ${plural(stems.length, "it", "them")} ${quoted(stems.map((s) => s.better))}`,
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
  "return twice": ({ stems }) => ({
    what: `${quoted(stems)} ${plural(stems.length, "is", "are")} delivered alone and in the stems as well.`,
    means: `With all files playing ${plural(stems.length, "it is", "they are")} heard twice.`,
    fix: plural(stems.length, "Do not export it alone", "Do not export them alone"),
  }),
  "was silent": ({ stems }) => ({
    what: `${quoted(stems)} had no sound in the last export.`,
    means: `If that is still so, the receiver gets ${plural(stems.length, "a file with nothing in it", "files with nothing in them")}.`,
    fix: plural(stems.length, "Do not export it", "Do not export them"),
  }),
  "mono as stereo": ({ stems }) => ({
    what: `${quoted(stems)} ${plural(stems.length, "is one channel", "are one channel each")}, delivered as two that are the same.`,
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
  "does not add up": ({ gaps }) => ({
    what: `The stems will not add up to the mix exactly: ${gaps.map(sayGap).join("; ")}.`,
    means: "The proof will show the difference as a figure, not as a fault.",
  }),
};

/** What was found before an export, what it means for the receiver, and what is written on what mends it. */
export const sayFinding = <K extends Kind>(finding: Of<K>): Said =>
  (sentences[finding.kind as K] as (finding: Of<K>) => Said)(finding);
