import type { ExchangedSignal, HelperWork, SignalExchange } from "../../core/engine/exchange";
import { givenCount } from "../../core/engine/given";
import { RenderCancelled } from "../../core/engine/render";
import type { Frames } from "../../core/units";

/**
 * Frames of audio that may wait to be taken: so many that the helper may be seconds ahead where the lead has more to
 * do, and has them in hand where it is the other way round.
 */
const MOST_FRAMES: Frames = 1 << 19;
const FEWEST_SLOTS = 16;
/** What the waiting signals may take of memory. */
const WAITING_BYTES = 24 << 20;
const WAIT_MS = 100;

/** Memory in which a pass's lead meets one helper, and what that computes. */
export interface SharedSignalsMemory {
  readonly work: HelperWork;
  readonly blockFrames: Frames;
  readonly buffer: SharedArrayBuffer;
}

/**
 * Int32 cells: blocks given, blocks taken, over, failed; then a silence flag a slot and signal. Then doubles: safe
 * frame, and a last loud frame a slot.
 */
const CELLS = 4;
const layoutOf = (signals: number, blockFrames: Frames) => {
  const slotBytes = Math.max(1, signals) * 2 * blockFrames * 4;
  const slots = Math.max(
    FEWEST_SLOTS,
    Math.min(Math.floor(MOST_FRAMES / blockFrames), Math.floor(WAITING_BYTES / slotBytes)),
  );
  const doubles = Math.ceil(((CELLS + slots * signals) * 4) / 16) * 16;
  const audio = doubles + Math.ceil(((1 + slots) * 8) / 16) * 16;
  return { slots, doubles, audio, bytes: audio + slots * slotBytes };
};

export const sharedSignalsMemory = (work: HelperWork, blockFrames: Frames): SharedSignalsMemory => ({
  work,
  blockFrames,
  buffer: new SharedArrayBuffer(layoutOf(givenCount(work), blockFrames).bytes),
});

/** One side's view of the exchange. `cancelled` is asked while waiting; throws `RenderCancelled` then. */
export class SharedSignals implements SignalExchange {
  private readonly count: number;
  private readonly slots: number;
  private readonly blockFrames: Frames;
  private readonly cells: Int32Array;
  private readonly numbers: Float64Array;
  private readonly audio: Float32Array;

  constructor(
    { work, blockFrames, buffer }: SharedSignalsMemory,
    private readonly cancelled: () => boolean,
  ) {
    this.count = givenCount(work);
    this.blockFrames = blockFrames;
    const { slots, doubles, audio } = layoutOf(this.count, blockFrames);
    this.slots = slots;
    this.cells = new Int32Array(buffer, 0, CELLS + slots * this.count);
    this.numbers = new Float64Array(buffer, doubles, 1 + slots);
    this.audio = new Float32Array(buffer, audio);
  }

  get over(): boolean {
    return Atomics.load(this.cells, 2) !== 0;
  }

  get safe(): Frames {
    return this.numbers[0] as number;
  }

  passed(frame: Frames): void {
    this.numbers[0] = frame;
  }

  finish(frame: Frames): void {
    this.numbers[0] = frame;
    Atomics.store(this.cells, 2, 1);
    Atomics.notify(this.cells, 1);
  }

  /** The lead is gone; where it was not done, nothing of the pass is kept. */
  leave(): void {
    if (this.over) return;
    Atomics.store(this.cells, 3, 1);
    this.finish(0);
  }

  /** Whether the lead went without having found the end. */
  get abandoned(): boolean {
    return Atomics.load(this.cells, 3) !== 0;
  }

  give(block: number, signals: readonly ExchangedSignal[], frames: Frames, lastLoud: Frames): void {
    this.awaitPast(1, block - this.slots, true);
    const slot = block % this.slots;
    signals.forEach((signal, k) => {
      this.cells[CELLS + slot * this.count + k] = signal.silent ? 1 : 0;
      if (signal.silent) return;
      const at = (slot * this.count + k) * 2 * this.blockFrames;
      this.audio.set(signal.left.subarray(0, frames), at);
      this.audio.set(signal.right.subarray(0, frames), at + this.blockFrames);
    });
    this.numbers[1 + slot] = lastLoud;
    this.advance(0, block + 1);
  }

  take(block: number, signals: readonly ExchangedSignal[], frames: Frames): Frames {
    this.awaitPast(0, block, false);
    const slot = block % this.slots;
    signals.forEach((signal, k) => {
      signal.silent = this.cells[CELLS + slot * this.count + k] === 1;
      const at = (slot * this.count + k) * 2 * this.blockFrames;
      if (signal.silent) {
        signal.left.fill(0, 0, frames);
        signal.right.fill(0, 0, frames);
      } else {
        signal.left.set(this.audio.subarray(at, at + frames));
        signal.right.set(this.audio.subarray(at + this.blockFrames, at + this.blockFrames + frames));
      }
    });
    const lastLoud = this.numbers[1 + slot] as number;
    this.advance(1, block + 1);
    return lastLoud;
  }

  private advance(cell: number, to: number): void {
    Atomics.store(this.cells, cell, to);
    Atomics.notify(this.cells, cell);
  }

  /** Waits until a count is above `than`; the helper also stops waiting when the pass is over. */
  private awaitPast(cell: number, than: number, untilOver: boolean): void {
    for (;;) {
      const now = Atomics.load(this.cells, cell);
      if (now > than || (untilOver && this.over)) return;
      if (this.cancelled()) throw new RenderCancelled("The render was cancelled.");
      Atomics.wait(this.cells, cell, now, WAIT_MS);
    }
  }
}
