import type { Reshape } from "../session/clips";
import type { Frames } from "../units";

/** Random access to one audio asset's samples, synchronous so that the render loop never yields. */
export interface AudioReader {
  readonly frames: Frames;
  readonly channels: 1 | 2;
  /**
   * Writes `count` frames from frame `from` on into `left` and `right` at `offset`; a mono asset fills both.
   * The range lies inside the asset. Throws `AudioUnreadable`.
   */
  read(from: Frames, count: Frames, left: Float32Array, right: Float32Array, offset: number): void;
  /** Lets go of what only makes reading faster: nothing is read for a while. */
  rest?(): void;
}

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
