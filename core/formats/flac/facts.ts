import type { AudioFormat } from "../audio-format";

export const flac = {
  kind: "flac",
  name: "FLAC",
  endings: [".flac"],
  begins: (_head: Uint8Array, text: string) => text.startsWith("fLaC"),
} as const satisfies AudioFormat;
