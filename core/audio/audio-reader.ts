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
