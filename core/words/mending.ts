import type { SetFinding } from "../mending/set";
import type { Frames } from "../units";
import { formatDb, formatNumber } from "./numbers";

export interface SaidFinding {
  readonly what: string;
  /** What it means for the mixer. */
  readonly means: string;
  /** What the mended set does about it; empty: nothing can be done here. */
  readonly fix: string;
}

/** A finding of a set in words. `rate`: the set's. */
export function sayFinding(finding: SetFinding, rate: number): SaidFinding {
  const length = (frames: Frames) => sayLength(frames, rate);
  switch (finding.kind) {
    case "other rate":
      return {
        what: `${kHz(finding.rate)} instead of ${kHz(finding.common)}`,
        means: "Laid beside the others as it is, it plays at another speed and pitch.",
        fix: `Convert it to ${kHz(finding.common)}`,
      };
    case "other depth":
      return {
        what: `${sayDepth(finding.depth)} instead of ${sayDepth(finding.common)}`,
        means: "No fault to the ear by itself; it tells that it was exported another time or another way.",
        fix: `Write it with ${sayDepth(finding.common)}, as all others`,
      };
    case "compressed":
      return {
        what: `It is an ${finding.codec}`,
        means: "What was compressed away is gone, and its start may be a few milliseconds off. Ask for the WAV.",
        fix: "",
      };
    case "silent":
      return { what: "Nothing is in it", means: "Its track may have been muted, or its source missing.", fix: "" };
    case "clipped":
      return {
        what: `Cut off at full scale in ${finding.runs} ${finding.runs === 1 ? "place" : "places"}`,
        means: "What was louder is gone. Ask for it again, quieter or with 32-bit float.",
        fix: "",
      };
    case "mono as stereo":
      return {
        what: "Both sides are the same",
        means: "A mono source stored as two channels: twice the bytes, and no width to be found in it.",
        fix: "Hand it on as one channel",
      };
    case "doubled":
      return {
        what: `The same sound as ${base(finding.of)}`,
        means: "Played together, it is 6 dB too loud.",
        fix: "Leave it out",
      };
    case "sides":
      return {
        what: `The other side is ${base(finding.of)}`,
        means: "Two files of one channel are the left and the right of one.",
        fix: "Join them to one stereo file",
      };
    case "shifted": {
      const late = finding.frames > 0;
      const by = finding.by === "content" ? "held against the mix" : "by its stamp";
      return {
        what: `Begins ${length(Math.abs(finding.frames))} ${late ? "late" : "early"}, ${by}`,
        means: "It plays out of time with everything else.",
        fix: `Move it ${length(Math.abs(finding.frames))} ${late ? "earlier" : "later"}`,
      };
    }
    case "mix shifted":
      return {
        what: `The mix starts ${length(Math.abs(finding.frames))} ${finding.frames > 0 ? "late" : "early"}`,
        means: "All stems line up with each other, and with the mix once it is moved. The stems are not changed.",
        fix: "",
      };
    case "drift":
      return {
        what: `Drifts: it runs ${formatNumber(Math.abs(finding.ppm), 1)} ppm ${finding.ppm > 0 ? "fast" : "slow"}`,
        means: `By its end it plays ${length(Math.abs(finding.frames))} ${finding.frames > 0 ? "early" : "late"}. A new export on the same clock as the others is best; else resample it.`,
        fix: `Resample it by ${formatNumber(Math.abs(finding.ppm), 1)} ppm`,
      };
    case "wrong stamp":
      return {
        what: `Its stamp is ${length(Math.abs(finding.frames))} ${finding.frames > 0 ? "later" : "earlier"} than the others'`,
        means: "Its sound is in time from the file's start, so that placed by its stamp it would be out of it.",
        fix: "Stamp it as the others",
      };
    case "cut":
      return finding.frames === 0
        ? {
            what: `Breaks off at ${formatDb(finding.endDb ?? -144)} dBFS`,
            means: "Its tail is missing.",
            fix: "",
          }
        : {
            what: `${length(finding.frames)} shorter than the others${finding.endDb !== null && finding.endDb > -60 ? `, and breaks off at ${formatDb(finding.endDb)} dBFS` : ""}`,
            means:
              finding.endDb !== null && finding.endDb > -60
                ? "Sound is missing at its end. Silence can fill the length, not the sound: ask for it again."
                : "It ends in silence, so that nothing is lost.",
            fix: "Fill it with silence to the common length",
          };
    case "padded":
      return finding.front
        ? {
            what: `${length(finding.frames)} of silence too much in front`,
            means: "It begins later than the others and plays out of time.",
            fix: `Move it ${length(finding.frames)} earlier`,
          }
        : {
            what: `${length(finding.frames)} longer than the others`,
            means: finding.silent ? "What is behind their end is silence." : "It sounds on behind the others' end.",
            fix: finding.silent
              ? "Trim it to the common length"
              : "Trim it to the common length; what sounds on is cut",
          };
    case "lost":
      return {
        what: `${length(finding.frames)} of sound missing at its ${finding.at}`,
        means: "It was moved inside a file of fixed length. What fell out cannot be brought back: ask for it again.",
        fix: "",
      };
    case "swapped sides":
      return {
        what: "Left and right are changed over",
        means: "Held against the mix, what belongs left is on the right.",
        fix: "Change the sides back",
      };
    case "inverted":
      return {
        what: "Turned over",
        means: "Its wave goes down where the mix goes up: together with others it takes away instead of adding.",
        fix: "Turn it back",
      };
    case "gain":
      return {
        what: `${formatNumber(Math.abs(finding.db), 1)} dB ${finding.db < 0 ? "quieter" : "louder"} than in the mix`,
        means: "Its fader, or a fader behind it, stood elsewhere when it was exported.",
        fix: `Turn it ${finding.db < 0 ? "up" : "down"} by ${formatNumber(Math.abs(finding.db), 1)} dB`,
      };
    case "not in the mix":
      return {
        what: "It is not in the mix",
        means: "It may be another version, or was muted when the mix was made.",
        fix: "Leave it out",
      };
    case "missing":
      return {
        what: `The mix has sound that is in no file: up to ${formatDb(finding.peakDb)} dBFS`,
        means: `It is heard from ${sayTime(finding.from, rate)} to ${sayTime(finding.to, rate)}. A file is missing, or one was replaced.`,
        fix: "",
      };
    case "mix went through a chain":
      return {
        what: `The files do not add up to the mix: up to ${formatDb(finding.peakDb)} dBFS are left`,
        means: "What is left is made of the files themselves: the mix went through a chain that they did not.",
        fix: "",
      };
    case "no mix":
      return {
        what: "No mix lies among the files",
        means: "Without a mix it cannot be checked whether a file is missing, inverted, or moved inside its length.",
        fix: "",
      };
    case "says nothing":
      return {
        what: "Its name says nothing",
        means: "The mixer has to listen to know what it is.",
        fix: "Name it in the list below",
      };
    case "same name":
      return {
        what: `Called like ${base(finding.of)}`,
        means: "One may overwrite the other on its way.",
        fix: "Name it in the list below",
      };
    case "no tempo":
      return {
        what: "No tempo is stated",
        means:
          "Neither a MIDI file, nor tags, nor names say it." +
          (finding.heard === null
            ? " A grid has to be found by ear."
            : ` What is heard keeps to ${bpm(finding.heard)} beats to the minute.`),
        fix: "State it above the list of files",
      };
    case "other tempo":
      return {
        what: `What is heard keeps to ${bpm(finding.heard)} beats to the minute, not to ${bpm(finding.stated)}`,
        means: "Bars and beats of a session at the stated tempo would run away from the sound.",
        fix: "State another above the list of files",
      };
    case "dulled first hit":
      return {
        what: `Its first hit takes ${sayMs(finding.riseS)} to rise; all others take ${sayMs(finding.othersS)} at most`,
        means: "A fade, or a file that begins too late, took its attack. It cannot be put back.",
        fix: "Ask for it once more, begun a bar earlier",
      };
  }
}

const base = (path: string): string => path.replace(/^.*\//, "");
const bpm = (value: number): string => String(Number(value.toFixed(2)));
const sayMs = (seconds: number): string => `${formatNumber(1000 * seconds, 1)} ms`;
const kHz = (rate: number): string => `${rate / 1000} kHz`;
export const sayDepth = (depth: string): string => (depth === "32f" ? "32-bit float" : `${depth} bits`);

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
