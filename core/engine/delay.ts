import type { Frames } from "../units";
import type { Arena } from "./arena";

/** Holds a stereo signal back by a fixed number of frames, a block at a time. */
export class Delay {
  readonly left: Float32Array;
  readonly right: Float32Array;
  private readonly heldLeft: Float32Array;
  private readonly heldRight: Float32Array;
  private silentRun: Frames;

  constructor(private readonly length: Frames, arena: Arena, maxFrames: Frames) {
    this.left = arena.float32(maxFrames);
    this.right = arena.float32(maxFrames);
    this.heldLeft = arena.float32(length);
    this.heldRight = arena.float32(length);
    this.silentRun = length;
  }

  /** Takes a block in; `left` and `right` then hold the delayed block. Returns whether that is silence. */
  push(left: Float32Array, right: Float32Array, frames: Frames, silent: boolean): boolean {
    const wasSilent = this.silentRun >= this.length;
    this.silentRun = silent ? this.silentRun + frames : 0;
    shift(left, this.left, this.heldLeft, this.length, frames);
    shift(right, this.right, this.heldRight, this.length, frames);
    return silent && wasSilent;
  }
}

function shift(input: Float32Array, output: Float32Array, held: Float32Array, length: Frames, frames: Frames): void {
  if (frames >= length) {
    output.set(held, 0);
    output.set(input.subarray(0, frames - length), length);
    held.set(input.subarray(frames - length, frames));
  } else {
    output.set(held.subarray(0, frames), 0);
    held.copyWithin(0, frames);
    held.set(input.subarray(0, frames), length - frames);
  }
}
