import type { AudioFormat } from "./audio-format";
import { aiff } from "./aiff/facts";
import { flac } from "./flac/facts";
import { mp3 } from "./mp3/facts";
import { opus, vorbis } from "./ogg/facts";
import { wav } from "./wav/facts";

/** Every format of audio that is read, in the order in which a file is looked at. */
export const audioFormats = [wav, aiff, flac, vorbis, opus, mp3] as const satisfies readonly AudioFormat[];

export type AudioKind = (typeof audioFormats)[number]["kind"];

/** `WAV, AIFF and Opus`, for people. */
export const readableFormats = (): string => {
  const names = audioFormats.map((f) => f.name);
  return `${names.slice(0, -1).join(", ")} and ${names.at(-1) ?? ""}`;
};

/** What a file is by its first bytes, whatever it is called; null for what is not read here. */
export const formatOf = (head: Uint8Array): AudioKind | null =>
  audioFormats.find((f) => f.begins(head, String.fromCharCode(...head)))?.kind ?? null;
