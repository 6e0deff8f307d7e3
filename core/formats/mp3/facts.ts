import type { AudioFormat } from "../audio-format";

/** An ID3 tag, or the eleven bits that begin a frame of layer III. ISO/IEC 11172-3, 2.4.2.3. */
export const mp3 = {
  kind: "mp3",
  name: "MP3",
  endings: [".mp3"],
  begins: ([a = 0, b = 0]: Uint8Array, text: string) => text.startsWith("ID3") || (a === 0xff && (b & 0xe6) === 0xe2),
} as const satisfies AudioFormat;
