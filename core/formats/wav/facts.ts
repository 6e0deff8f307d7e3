import type { AudioFormat } from "../audio-format";

/** RIFF, and its two ways of being longer: EBU Tech 3306 (RF64), ITU-R BS.2088 (BW64). */
export const wav = {
  kind: "wav",
  name: "WAV",
  endings: [".wav", ".bwf", ".rf64"],
  begins: (_head: Uint8Array, text: string) => /^(RIFF|RF64|BW64)/.test(text) && text.slice(8, 12) === "WAVE",
} as const satisfies AudioFormat;
