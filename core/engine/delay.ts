import type { Frames } from "../units";
import type { Arena } from "../kernels/arena";
import type { Floats } from "../kernels/kernels";

/** Holds a stereo signal back by a fixed number of frames, a block at a time. */
export class Delay {
  readonly left: Floats;
  readonly right: Floats;
  private readonly heldLeft: Floats;
  private readonly heldRight: Floats;
  /** Where in what is held the oldest frame stands. */
  private head = 0;
  private silentRun: Frames;
  /** What was given last is zeros throughout, as far as it reaches. */
  private zeros = 0;

  constructor(
    private readonly length: Frames,
    private readonly arena: Arena,
    maxFrames: Frames,
  ) {
    if (length < 1) throw new RangeError("a delay holds at least one frame");
    this.left = arena.float32(maxFrames);
    this.right = arena.float32(maxFrames);
    this.heldLeft = arena.float32(length);
    this.heldRight = arena.float32(length);
    this.silentRun = length;
    arena.keeps(
      () => [this.head, this.silentRun, this.zeros],
      ([head = 0, run = 0, zeros = 0]) => {
        this.head = head;
        this.silentRun = run;
        this.zeros = zeros;
      },
    );
  }

  /**
   * Takes a block in, from the arena's memory; `left` and `right` then hold the delayed block. Returns whether that is
   * silence.
   */
  push(left: Floats, right: Floats, frames: Frames, silent: boolean): boolean {
    return this.exchange(left, right, this.left, this.right, frames, silent);
  }

  /** The same where the block stands; silence is zeros there. */
  hold(left: Floats, right: Floats, frames: Frames, silent: boolean): boolean {
    return this.exchange(left, right, left, right, frames, silent);
  }

  private exchange(
    left: Floats,
    right: Floats,
    outLeft: Floats,
    outRight: Floats,
    frames: Frames,
    silent: boolean,
  ): boolean {
    const { length, head } = this;
    const quiet = silent && this.silentRun >= length;
    this.silentRun = silent ? this.silentRun + frames : 0;
    // Silence in and nothing but silence held: it stays as it is.
    if (quiet && this.zeros >= frames) return true;
    const { hold } = this.arena.kernels;
    hold(outLeft.address, left.address, frames, this.heldLeft.address, length, head);
    hold(outRight.address, right.address, frames, this.heldRight.address, length, head);
    this.head = (head + frames) % length;
    this.zeros = quiet ? frames : 0;
    return quiet;
  }
}
