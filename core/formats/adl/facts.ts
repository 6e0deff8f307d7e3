import type { Carries } from "../../timeline/carries";

/** What an AES31-3 audio decision list carries. */
export const adlCarries: Carries = {
  audio: true,
  notes: false,
  channelPicks: true,
  clipGain: true,
  fades: ["linear"],
  crossfades: ["linear"],
  fader: false,
  pan: [],
  mute: false,
  lanes: [],
  lanesIn: "decibels",
  sends: false,
  routing: false,
  devices: false,
  tempo: false,
  tempoRamps: false,
  meter: false,
  leadIn: false,
  markers: false,
  startTime: true,
};

export const ADL_ENDING = ".adl";
