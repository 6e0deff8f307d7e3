import type { Frames } from "../units";
import type { Arena } from "./arena";

/** Holds a stereo signal back by a fixed number of frames, a block at a time. */
export class Delay {
  readonly left: Float32Array;
  readonly right: Float32Array;
  private readonly heldLeft: Float32Array;
  private readonly heldRight: Float32Array;
  /** Where in what is held the oldest frame stands. */
  private head = 0;
  private silentRun: Frames;
  /** What was given last is zeros throughout, as far as it reaches. */
  private zeros = 0;

  constructor(private readonly length: Frames, arena: Arena, maxFrames: Frames) {
    this.left = arena.float32(maxFrames);
    this.right = arena.float32(maxFrames);
    this.heldLeft = arena.float32(length);
    this.heldRight = arena.float32(length);
    this.silentRun = length;
  }

  /** Takes a block in; `left` and `right` then hold the delayed block. Returns whether that is silence. */
  push(left: Float32Array, right: Float32Array, frames: Frames, silent: boolean): boolean {
    const quiet = silent && this.silentRun >= this.length;
    this.silentRun = silent ? this.silentRun + frames : 0;
    // Silence in and nothing but silence held: it stays as it is.
    if (quiet && this.zeros >= frames) return true;
    exchange(left, this.left, this.heldLeft, this.head, frames);
    exchange(right, this.right, this.heldRight, this.head, frames);
    this.head = this.length === 0 ? 0 : (this.head + frames) % this.length;
    this.zeros = quiet ? frames : 0;
    return quiet;
  }
}

/** Gives the oldest of `held` and puts `input` in its place, which begins at `head` and goes round. */
function exchange(input: Float32Array, output: Float32Array, held: Float32Array, head: number, frames: Frames): void {
  const length = held.length;
  const first = Math.min(frames, length - head);
  const second = Math.min(frames - first, head);
  output.set(held.subarray(head, head + first));
  output.set(held.subarray(0, second), first);
  // A block longer than what is held gives the rest of itself at once.
  const kept = first + second;
  if (frames > kept) output.set(input.subarray(0, frames - kept), kept);
  const from = frames - kept;
  const place = (head + from) % Math.max(1, length);
  const fits = Math.min(kept, length - place);
  held.set(input.subarray(from, from + fits), place);
  held.set(input.subarray(from + fits, frames), 0);
}
