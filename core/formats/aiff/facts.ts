import type { AudioFormat } from "../audio-format";

export const aiff = {
  kind: "aiff",
  name: "AIFF",
  endings: [".aif", ".aiff", ".aifc"],
  begins: (_head: Uint8Array, text: string) => text.startsWith("FORM") && /^AIF[FC]$/.test(text.slice(8, 12)),
} as const satisfies AudioFormat;
