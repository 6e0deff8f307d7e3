import { otherTempo } from "../mending/tempo";
import type { SetFinding } from "../mending/set";
import type { Frames } from "../units";
import { depthName } from "../units";
import { formatDb, formatNumber } from "./numbers";

export interface SaidFinding {
  readonly what: string;
  /** What it means for the mixer. */
  readonly means: string;
  /** What repairing the set does about it; empty: nothing can be done here. */
  readonly fix: string;
}

type Kind = SetFinding["kind"];
type Of<K extends Kind> = Extract<SetFinding, { readonly kind: K }>;

const findings: { readonly [K in Kind]: (finding: Of<K>, rate: number) => SaidFinding } = {
  "other rate": (finding) => ({
    what: `${kHz(finding.rate)} instead of ${kHz(finding.common)}`,
    means: "Laid beside the others as it is, it plays at another speed and pitch.",
    fix: `Convert it to ${kHz(finding.common)}`,
  }),
  "other depth": (finding) => ({
    what: `${depthName(finding.depth)} instead of ${depthName(finding.common)}`,
    means: "No fault to the ear by itself; it tells that it was exported another time or another way.",
    fix: `Write it as ${depthName(finding.common)}, as all others`,
  }),
  compressed: (finding) => ({
    what: `It is an ${finding.codec}`,
    means: "What was compressed away is gone, and its start may be a few milliseconds off. Ask for the WAV.",
    fix: "",
  }),
  silent: () => ({
    what: "The file is silent",
    means: "Its track may have been muted, or its source missing.",
    fix: "",
  }),
  clipped: (finding) => ({
    what: `Clipped in ${finding.runs} ${finding.runs === 1 ? "place" : "places"}`,
    means: "What was louder is gone. Ask for it again, quieter or with 32-bit float.",
    fix: "",
  }),
  "mono as stereo": () => ({
    what: "Both sides are the same",
    means: "A mono source stored as two channels: twice the bytes, and no width to be found in it.",
    fix: "Deliver it as one channel",
  }),
  doubled: (finding) => ({
    what: `The same sound as ${base(finding.of)}`,
    means: "Played together, it is 6 dB too loud.",
    fix: "Leave it out",
  }),
  sides: (finding) => ({
    what: `The other side is ${base(finding.of)}`,
    means: "Two files of one channel are the left and the right of one.",
    fix: "Join them to one stereo file",
  }),
  shifted: (finding, rate) => {
    const late = finding.frames > 0;
    const by = finding.by === "content" ? "held against the mix" : "by its stamp";
    return {
      what: `Starts ${sayLength(Math.abs(finding.frames), rate)} ${late ? "late" : "early"}, ${by}`,
      means: "It plays out of time with everything else.",
      fix: `Move it ${sayLength(Math.abs(finding.frames), rate)} ${late ? "earlier" : "later"}`,
    };
  },
  "mix shifted": (finding, rate) => ({
    what: `The mix starts ${sayLength(Math.abs(finding.frames), rate)} ${finding.frames > 0 ? "late" : "early"}`,
    means: "All stems line up with each other, and with the mix once it is moved. The stems are not changed.",
    fix: "",
  }),
  drift: (finding, rate) => ({
    what: `Drifts: it runs ${formatNumber(Math.abs(finding.ppm), 1)} ppm ${finding.ppm > 0 ? "fast" : "slow"}`,
    means: `By its end it plays ${sayLength(Math.abs(finding.frames), rate)} ${finding.frames > 0 ? "early" : "late"}. A new export on the same clock as the others is best; else resample it.`,
    fix: `Resample it by ${formatNumber(Math.abs(finding.ppm), 1)} ppm`,
  }),
  "wrong stamp": (finding, rate) => ({
    what: `Its stamp is ${sayLength(Math.abs(finding.frames), rate)} ${finding.frames > 0 ? "later" : "earlier"} than the others'`,
    means: "Its sound is in time from the file's start. Placed by its stamp it would be out of time.",
    fix: "Stamp it as the others",
  }),
  cut: (finding, rate) =>
    finding.frames === 0
      ? {
          what: `Breaks off at ${formatDb(finding.endDb ?? -144)} dBFS`,
          means: "Its tail is missing.",
          fix: "",
        }
      : {
          what: `${sayLength(finding.frames, rate)} shorter than the others${finding.endDb !== null && finding.endDb > -60 ? `, and breaks off at ${formatDb(finding.endDb)} dBFS` : ""}`,
          means:
            finding.endDb !== null && finding.endDb > -60
              ? "Sound is missing at its end. Silence can fill the length, not the sound: ask for it again."
              : "It ends in silence, so that nothing is lost.",
          fix: "Fill it with silence to the common length",
        },
  padded: (finding, rate) =>
    finding.front
      ? {
          what: `${sayLength(finding.frames, rate)} of silence too much in front`,
          means: "It begins later than the others and plays out of time.",
          fix: `Move it ${sayLength(finding.frames, rate)} earlier`,
        }
      : {
          what: `${sayLength(finding.frames, rate)} longer than the others`,
          means: finding.silent
            ? "What is behind their end is silence."
            : "It still sounds after the others have ended.",
          fix: finding.silent
            ? "Trim it to the common length"
            : "Trim it to the common length; what sounds after it is cut",
        },
  lost: (finding, rate) => ({
    what: `${sayLength(finding.frames, rate)} of sound missing at its ${finding.at}`,
    means: "It was moved inside a file of fixed length. What fell out cannot be brought back: ask for it again.",
    fix: "",
  }),
  "swapped sides": () => ({
    what: "Left and right swapped",
    means: "Held against the mix, what belongs left is on the right.",
    fix: "Swap left and right",
  }),
  inverted: () => ({
    what: "Polarity inverted",
    means: "Its wave goes down where the mix goes up: together with others it takes away instead of adding.",
    fix: "Invert polarity",
  }),
  gain: (finding) => ({
    what: `${formatNumber(Math.abs(finding.db), 1)} dB ${finding.db < 0 ? "quieter" : "louder"} than in the mix`,
    means: "Its fader, or a fader behind it, stood elsewhere when it was exported.",
    fix: `Turn it ${finding.db < 0 ? "up" : "down"} by ${formatNumber(Math.abs(finding.db), 1)} dB`,
  }),
  "not in the mix": () => ({
    what: "It is not in the mix",
    means: "It may be another version, or was muted when the mix was made.",
    fix: "Leave it out",
  }),
  missing: (finding, rate) => ({
    what: `The mix has sound that is in no file: up to ${formatDb(finding.peakDb)} dBFS`,
    means: `It is heard from ${sayTime(finding.from, rate)} to ${sayTime(finding.to, rate)}. A file is missing, or one was replaced.`,
    fix: "",
  }),
  "mix went through a chain": (finding) => ({
    what: `The files do not add up to the mix: up to ${formatDb(finding.peakDb)} dBFS are left`,
    means: "What is left is made of the files themselves: the mix went through a chain that they did not.",
    fix: "",
  }),
  "no mix": () => ({
    what: "No mix lies among the files",
    means: "Without a mix it cannot be checked whether a file is missing, inverted, or moved inside its length.",
    fix: "",
  }),
  "says nothing": () => ({
    what: "Its name says nothing",
    means: "The mixer has to listen to know what it is.",
    fix: "Name it in the list below",
  }),
  "same name": (finding) => ({
    what: `Called like ${base(finding.of)}`,
    means: "One may overwrite the other on its way.",
    fix: "Name it in the list below",
  }),
  "no tempo": (finding) => ({
    what: "No tempo is stated",
    means:
      "Neither a MIDI file, nor tags, nor names say it." +
      (finding.heard === null
        ? " Its tempo could not be heard either; a grid has to be found by ear."
        : ` The audio keeps to ${eitherBpm(finding.heard)}.`),
    fix: "State it above the list of files",
  }),
  "other tempo": (finding) => ({
    what: `The audio keeps to ${eitherBpm(finding.heard)}, not to ${bpm(finding.stated)}`,
    means: "Bars and beats of a session at the stated tempo would run away from the sound.",
    fix: "State another above the list of files",
  }),
  "dulled first hit": (finding) => ({
    what: `Its first hit takes ${sayMs(finding.riseS)} to rise; all others take ${sayMs(finding.othersS)} at most`,
    means: "A fade, or a file that begins too late, took its attack. It cannot be put back.",
    fix: "Ask for it once more, begun a bar earlier",
  }),
};

/** A finding of a set in words. `rate`: the set's. */
export const sayFinding = <K extends Kind>(finding: Of<K>, rate: number): SaidFinding =>
  (findings[finding.kind as K] as (finding: Of<K>, rate: number) => SaidFinding)(finding, rate);

const base = (path: string): string => path.replace(/^.*\//, "");
/** A heard tempo; which of two a person counts cannot be heard. */
const eitherBpm = (heard: number): string => `${bpm(heard)} bpm, or ${bpm(otherTempo(heard))}`;
const bpm = (value: number): string => String(Number(value.toFixed(2)));
const sayMs = (seconds: number): string => `${formatNumber(1000 * seconds, 1)} ms`;
const kHz = (rate: number): string => `${rate / 1000} kHz`;

/** `1,234 samples (25.7 ms)`. */
function sayLength(frames: Frames, rate: number): string {
  const count = frames.toLocaleString("en");
  const ms = (1000 * frames) / rate;
  const long = ms >= 1000 ? `${formatNumber(ms / 1000, 2)} s` : `${formatNumber(ms, ms < 10 ? 2 : 1)} ms`;
  return `${count} ${frames === 1 ? "sample" : "samples"} (${long})`;
}

function sayTime(frames: Frames, rate: number): string {
  const seconds = frames / rate;
  const minutes = Math.floor(seconds / 60);
  return `${minutes}:${(seconds - 60 * minutes).toFixed(1).padStart(4, "0")}`;
}
