import type { SumExchange } from "../core/engine/exchange";
import { RenderCancelled } from "../core/engine/render";
import type { Frames } from "../core/units";

/** Blocks that may wait to be taken: enough that neither side waits for the other's hiccups. */
const SLOTS = 16;
const WAIT_MS = 100;

/** Memory in which two threads exchange sums. Cells: 0 blocks given, 1 blocks taken, 2 over; then one silence flag a slot and run. */
export interface SharedSumsMemory {
  readonly runs: readonly number[];
  readonly blockFrames: Frames;
  readonly buffer: SharedArrayBuffer;
}

const CELLS = 4;
const flagsOf = (runs: number) => CELLS + SLOTS * runs;
const headBytes = (runs: number) => Math.ceil((flagsOf(runs) * 4) / 16) * 16;

export const sharedSumsMemory = (runs: readonly number[], blockFrames: Frames): SharedSumsMemory => ({
  runs, blockFrames, buffer: new SharedArrayBuffer(headBytes(runs.length) + SLOTS * runs.length * 2 * blockFrames * 8),
});

/** One side's view of the exchange. `cancelled` is asked while waiting; throws `RenderCancelled` then. */
export class SharedSums implements SumExchange {
  readonly runs: readonly number[];
  private readonly cells: Int32Array;
  private readonly sums: Float64Array;
  private readonly blockFrames: Frames;

  constructor(memory: SharedSumsMemory, private readonly cancelled: () => boolean) {
    this.runs = memory.runs;
    this.blockFrames = memory.blockFrames;
    this.cells = new Int32Array(memory.buffer, 0, flagsOf(memory.runs.length));
    this.sums = new Float64Array(memory.buffer, headBytes(memory.runs.length));
  }

  get over(): boolean {
    return Atomics.load(this.cells, 2) !== 0;
  }

  /** Says that nothing more is needed; the other side stops. */
  end(): void {
    Atomics.store(this.cells, 2, 1);
    Atomics.notify(this.cells, 1);
    Atomics.notify(this.cells, 0);
  }

  take(block: number, run: number, left: Float64Array, right: Float64Array, frames: Frames): boolean {
    const k = this.runs.indexOf(run);
    if (k === 0) this.awaitPast(0, block);
    const slot = (block % SLOTS) * this.runs.length + k;
    const silent = this.cells[CELLS + slot] === 1;
    if (!silent) {
      const at = slot * 2 * this.blockFrames;
      left.set(this.sums.subarray(at, at + frames));
      right.set(this.sums.subarray(at + this.blockFrames, at + this.blockFrames + frames));
    }
    if (k === this.runs.length - 1) this.advance(1, block + 1);
    return silent;
  }

  give(block: number, run: number, left: Float64Array, right: Float64Array, frames: Frames, silent: boolean): void {
    const k = this.runs.indexOf(run);
    if (k === 0) this.awaitPast(1, block - SLOTS);
    const slot = (block % SLOTS) * this.runs.length + k;
    this.cells[CELLS + slot] = silent ? 1 : 0;
    if (!silent) {
      const at = slot * 2 * this.blockFrames;
      this.sums.set(left.subarray(0, frames), at);
      this.sums.set(right.subarray(0, frames), at + this.blockFrames);
    }
    if (k === this.runs.length - 1) this.advance(0, block + 1);
  }

  private advance(cell: number, to: number): void {
    Atomics.store(this.cells, cell, to);
    Atomics.notify(this.cells, cell);
  }

  /** Waits until a count is above `than`, or until it does not matter any more. */
  private awaitPast(cell: number, than: number): void {
    for (;;) {
      const now = Atomics.load(this.cells, cell);
      if (now > than || this.over) return;
      if (this.cancelled()) throw new RenderCancelled("The render was cancelled.");
      Atomics.wait(this.cells, cell, now, WAIT_MS);
    }
  }
}
