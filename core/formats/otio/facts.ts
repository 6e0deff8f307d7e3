import type { Carries } from "../../timeline/carries";

/** What OpenTimelineIO files of this program carry: what the schema has no place for stands under `metadata.stemzo`. */
export const otioCarries: Carries = {
  audio: true,
  notes: false,
  channelPicks: true,
  clipGain: true,
  fades: ["linear", "equal power", "S", "slow", "quick"],
  crossfades: ["linear", "equal power", "S", "slow", "quick"],
  fader: true,
  pan: [1, 2],
  mute: true,
  lanes: ["fader", "pan", "mute", "send"],
  lanesIn: "decibels",
  sends: true,
  routing: true,
  devices: false,
  tempo: true,
  tempoRamps: true,
  meter: true,
  leadIn: true,
  markers: true,
  startTime: true,
};

/** The key of `metadata` under which this program keeps what is its own. */
export const OWN = "stemzo";
export const OTIO_ENDING = ".otio";
/** A ZIP with the timeline and its audio. OpenTimelineIO, file bundles. */
export const OTIOZ_ENDING = ".otioz";
export const OTIOZ_CONTENT = "content.otio";
export const OTIOZ_VERSION = { name: "version.txt", text: "1.0.0" };
export const OTIOZ_MEDIA = "media";
