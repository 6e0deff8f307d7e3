import type { AudioReader } from "../audio/audio-reader";
import type { Reshape } from "../session/clips";
import type { Frames } from "../units";

/**
 * Finds the audio of an asset by its hash, or of an asset reshaped, which must have been made before (see `reshapes`).
 * Throws `MissingAudio` when there is none.
 */
export type AudioLibrary = (hash: string, reshape?: Reshape | null) => AudioReader;

export class MissingAudio extends Error {
  override readonly name = "MissingAudio";
  constructor(readonly hash: string) {
    super(`The audio ${hash.slice(0, 12)} is not in the audio store.`);
  }
}

/** A device produced a number that is no sample. The render stops: nothing of it is kept. */
export class BrokenDevice extends Error {
  override readonly name = "BrokenDevice";
  constructor(
    readonly track: string,
    readonly device: string,
    readonly frame: Frames,
  ) {
    super(`${device} on "${track}" produced an invalid sample at frame ${frame}.`);
  }
}

/** A device that only works in real time was asked to render offline. */
export class RealTimeOnly extends Error {
  override readonly name = "RealTimeOnly";
  constructor(
    readonly track: string,
    readonly device: string,
  ) {
    super(`${device} on "${track}" works in real time only, so it cannot be rendered ahead.`);
  }
}
