import type { Carries } from "../../timeline/carries";

/** What the edit protocol carries of sound. */
export const aafCarries: Carries = {
  audio: true,
  notes: false,
  channelPicks: false,
  clipGain: true,
  fades: ["linear"],
  crossfades: ["linear"],
  fader: true,
  pan: [1],
  mute: false,
  lanes: ["fader", "pan"],
  lanesIn: "gains",
  sends: false,
  routing: false,
  devices: false,
  tempo: false,
  tempoRamps: false,
  meter: false,
  leadIn: false,
  markers: true,
  startTime: true,
};

export const AAF_ENDING = ".aaf";
/** The class of file that its header names, by the size of its sectors. AAF low-level container specification, 5. */
export const FILE_KIND = {
  512: "42464141-000d-4d4f-060e-2b34010101ff",
  4096: "0d010201-0200-0000-060e-2b3403020101",
} as const;
/** A file that gets larger has large sectors. */
export const SMALL_SECTORS_UP_TO = 512 << 20;
/** Names under which this program keeps what the protocol has no place for. */
export const COMMENT = { sha256: "SHA-256", clip: "Clip name", pan: "Pan in levels" } as const;
