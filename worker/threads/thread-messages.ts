import type { Frames } from "../../core/units";

/** Thread to process. `ended` asks for agreement on where the pass ends. */
export type FromThread =
  | { readonly say: "progress"; readonly done: number }
  | { readonly say: "ended"; readonly end: Frames }
  | { readonly say: "done"; readonly answer: unknown }
  | { readonly say: "failed"; readonly fault: TaskFault };

/** An error on its way between threads; `kind` is the class it was raised as. */
export interface TaskFault {
  readonly kind:
    | "cancelled"
    | "missing audio"
    | "broken device"
    | "real time only"
    | "malformed file"
    | "too long"
    | "no room"
    | "checkpoint misfit"
    | "other";
  readonly message: string;
}

export class TaskFailed extends Error {
  override readonly name = "TaskFailed";
  constructor(readonly fault: TaskFault) {
    super(fault.message);
  }
}

/**
 * Memory a task shares with the process that started it: a flag that cancels it, and the answer to `ended`.
 * Cells: 0 cancel, 1 round (raised with every answer), 2 settled.
 */
export class TaskMemory {
  private readonly cells: Int32Array;
  private readonly end: Float64Array;

  constructor(readonly buffer = new SharedArrayBuffer(32)) {
    this.cells = new Int32Array(buffer, 0, 4);
    this.end = new Float64Array(buffer, 16, 1);
  }

  get cancelled(): boolean {
    return Atomics.load(this.cells, 0) !== 0;
  }

  cancel(): void {
    Atomics.store(this.cells, 0, 1);
    Atomics.notify(this.cells, 1);
  }

  answer(end: Frames, settled: boolean): void {
    this.end[0] = end;
    Atomics.store(this.cells, 2, settled ? 1 : 0);
    Atomics.add(this.cells, 1, 1);
    Atomics.notify(this.cells, 1);
  }

  get round(): number {
    return Atomics.load(this.cells, 1);
  }

  /** Blocks the calling thread until an answer after `round`, or until cancelled (null). */
  awaitAnswer(round: number): { readonly end: Frames; readonly settled: boolean } | null {
    while (this.round === round) {
      if (this.cancelled) return null;
      Atomics.wait(this.cells, 1, round, 250);
    }
    return { end: this.end[0] ?? 0, settled: Atomics.load(this.cells, 2) === 1 };
  }
}
