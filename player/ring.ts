import type { Frames } from "../core/units";

/** Frames a ring holds: far more than are ever rendered ahead. */
const RING_FRAMES: Frames = 65536;
const WRITTEN = 0;
const READ = 1;
const START = 2;
const HEADER_BYTES = 64;

export type RingMemory = SharedArrayBuffer;
export const ringMemory = (): RingMemory => new SharedArrayBuffer(HEADER_BYTES + RING_FRAMES * 8);

/**
 * Audio on its way from an engine to the output: one writes, one reads, none waits. It carries an unbroken stretch of
 * the timeline; frames count from its start. What the reader skips before it is written is lost.
 */
export class Ring {
  private readonly counts: Int32Array;
  private readonly left: Float32Array;
  private readonly right: Float32Array;

  constructor(memory: RingMemory) {
    this.counts = new Int32Array(memory, 0, 3);
    this.left = new Float32Array(memory, HEADER_BYTES, RING_FRAMES);
    this.right = new Float32Array(memory, HEADER_BYTES + RING_FRAMES * 4, RING_FRAMES);
  }

  /** Empties it; the next frame written is the timeline's frame `start`. Only while it is not read. */
  restart(start: Frames): void {
    Atomics.store(this.counts, READ, 0);
    Atomics.store(this.counts, WRITTEN, 0);
    Atomics.store(this.counts, START, start);
  }

  /** Timeline frame that is read next. */
  get position(): Frames {
    return Atomics.load(this.counts, START) + Atomics.load(this.counts, READ);
  }

  /** Frames that wait to be read; below 0 where the reader has gone ahead. */
  get ahead(): Frames {
    return Atomics.load(this.counts, WRITTEN) - Atomics.load(this.counts, READ);
  }

  /** Appends frames that stand at `offset`; there must be room for them. */
  write(left: Float32Array, right: Float32Array, offset: number, count: Frames): void {
    const written = Atomics.load(this.counts, WRITTEN);
    for (let done = 0; done < count;) {
      const at = (written + done) % RING_FRAMES;
      const n = Math.min(count - done, RING_FRAMES - at);
      this.left.set(left.subarray(offset + done, offset + done + n), at);
      this.right.set(right.subarray(offset + done, offset + done + n), at);
      done += n;
    }
    Atomics.store(this.counts, WRITTEN, written + count);
  }

  /** Takes up to `count` frames to `offset`; returns how many there were. */
  read(left: Float32Array, right: Float32Array, offset: number, count: Frames): Frames {
    const read = Atomics.load(this.counts, READ);
    const n = Math.max(0, Math.min(count, Atomics.load(this.counts, WRITTEN) - read));
    for (let i = 0; i < n; i++) {
      const at = (read + i) % RING_FRAMES;
      left[offset + i] = this.left[at] as number;
      right[offset + i] = this.right[at] as number;
    }
    Atomics.store(this.counts, READ, read + n);
    return n;
  }

  /** Goes on to a frame of the timeline, whether it is written yet or not; never back. */
  skipTo(frame: Frames): void {
    const read = frame - Atomics.load(this.counts, START);
    if (read > Atomics.load(this.counts, READ)) Atomics.store(this.counts, READ, read);
  }
}
