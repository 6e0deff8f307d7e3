import type { AudioFormat } from "../audio-format";

/** The first packet of the stream says what is in it. RFC 3533; Vorbis I, 4.2.1; RFC 7845, 5.1. */
export const vorbis = {
  kind: "vorbis",
  name: "Ogg Vorbis",
  endings: [".ogg", ".oga"],
  begins: (_head: Uint8Array, text: string) => text.startsWith("OggS") && text.includes("\x01vorbis"),
} as const satisfies AudioFormat;

export const opus = {
  kind: "opus",
  name: "Opus",
  endings: [".opus"],
  begins: (_head: Uint8Array, text: string) => text.startsWith("OggS") && text.includes("OpusHead"),
} as const satisfies AudioFormat;
