import type { ByteSource } from "../../core/formats/bytes/bytes";
import type { Sink } from "../../core/engine/render";
import type { Frames } from "../../core/units";

/** What is known of a file before its first sample. */
export interface DecodedFormat {
  readonly rate: number;
  readonly channels: 1 | 2;
  /** The whole-number depth that holds every sample exactly, or float. */
  readonly depth: "16" | "24" | "32f";
  readonly timeReference: Frames | null;
}

export interface DecodeHooks {
  /** Called once, with the format; answers with where the audio goes. A mono file's samples come in both channels. */
  begin(format: DecodedFormat): Sink;
  /** Part of the file that is done, 0 to 1; answering false cancels, which `decode` throws on. */
  progress(part: number): boolean;
}

export class DecodeCancelled extends Error {
  override readonly name = "DecodeCancelled";
}

/** A file of more than two channels, of which one has to be picked at a time. */
export class ManyChannels extends Error {
  override readonly name = "ManyChannels";
  constructor(readonly channels: number) {
    super(`The file has ${channels} channels.`);
  }
}

/**
 * Decodes a file of one format from its first sample to its last. `pick`: the one channel that is wanted; both channels
 * of the sink are it then. Throws `MalformedFile`, `ManyChannels` where none was
 * picked, or `DecodeCancelled`.
 */
export type Reader = (source: ByteSource, hooks: DecodeHooks, pick: number | null) => void | Promise<void>;

/** Which two channels of so many go out: both, the only one twice, or the picked one twice. */
export function picked(channels: number, pick: number | null): readonly [a: number, b: number] {
  if (pick !== null) return [Math.min(pick, channels - 1), Math.min(pick, channels - 1)];
  if (channels > 2) throw new ManyChannels(channels);
  return [0, channels - 1];
}

/** Tells how far it is; throws where it was cancelled meanwhile. */
export function reportPart(hooks: DecodeHooks, part: number): void {
  if (!hooks.progress(part)) throw new DecodeCancelled("The import was cancelled.");
}
