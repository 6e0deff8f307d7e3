import type { Doubles, Floats, Ints, Kernels } from "./kernels";
import { KernelMemory, addressed, rounded } from "./kernels";

/** What one part of an arena held at a moment: its bytes, and the numbers kept beside them. */
export interface PartState {
  readonly bytes: Uint8Array;
  readonly numbers: readonly number[];
}
/** Parts of an arena by name. */
export type ArenaState = ReadonlyMap<string, PartState>;

interface Part {
  /** Stretches of memory that belong to it, in their order. */
  readonly spans: { readonly from: number; to: number }[];
  readonly kept: Kept[];
}
interface Kept {
  readonly save: () => readonly number[];
  readonly load: (numbers: readonly number[]) => void;
  readonly count: number;
}

const sizeOf = ({ spans }: Part): number => spans.reduce((sum, { from, to }) => sum + to - from, 0);

/**
 * Hands out typed arrays from one block of memory that is sized before rendering starts and never grows.
 * Built once over no memory to measure what a graph needs, then over memory of exactly that size, where the kernels
 * work.
 */
export class Arena {
  private used = 0;
  private readonly parts = new Map<string, Part>();
  /** Names of the parts in the order in which they were made. */
  private readonly named: string[] = [];
  private part: Part | null = null;

  private constructor(private readonly memory: KernelMemory | null) {}

  /** Runs `build` twice: first to count bytes, then for real. `build` must ask for the same arrays both times. */
  static for<T>(build: (arena: Arena) => T): T {
    const measure = new Arena(null);
    build(measure);
    return build(new Arena(new KernelMemory(measure.used)));
  }

  /** What works on the arrays handed out here; there is none while sizes are being counted. */
  get kernels(): Kernels {
    if (!this.memory) throw new RangeError("nothing is computed while sizes are counted");
    return this.memory.run;
  }

  /**
   * Builds something whose state can be saved and restored by itself. Parts do not lie within each other, and no two
   * have the same name.
   */
  within<T>(name: string, build: () => T): T {
    if (this.part) throw new RangeError(`"${name}" lies within another part`);
    if (this.parts.has(name)) throw new RangeError(`there are two parts "${name}"`);
    const part: Part = { spans: [], kept: [] };
    this.parts.set(name, part);
    this.named.push(name);
    this.part = part;
    try {
      return this.span(part, build);
    } finally {
      this.part = null;
    }
  }

  /**
   * Builds, within a part, what is no state: tables that follow from the declaration, and copies of what can be read
   * again.
   */
  apart<T>(build: () => T): T {
    const { part } = this;
    const span = part?.spans.at(-1);
    if (!part || !span) return build();
    span.to = this.used;
    this.part = null;
    const made = build();
    this.part = part;
    part.spans.push({ from: this.used, to: this.used });
    return made;
  }

  private span<T>(part: Part, build: () => T): T {
    part.spans.push({ from: this.used, to: this.used });
    const made = build();
    const last = part.spans.at(-1);
    if (last) last.to = this.used;
    return made;
  }

  /**
   * Numbers beside the arrays that change while what is being built runs: fields and variables, which are faster than
   * cells of an array. What follows from the declaration and the parameters alone is not kept.
   */
  keeps(save: () => readonly number[], load: (numbers: readonly number[]) => void): void {
    this.part?.kept.push({ save, load, count: save().length });
  }

  /** Builds something, and says the names of all parts that were made for it. */
  naming<T>(build: () => T): { readonly made: T; readonly parts: readonly string[] } {
    const before = this.named.length;
    const made = build();
    return { made, parts: this.named.slice(before) };
  }

  /** What parts hold now. */
  save(names: Iterable<string>): ArenaState {
    const bytes = this.bytes();
    return new Map(
      Array.from(names, (name) => {
        const part = this.parts.get(name);
        if (!part) throw new RangeError(`there is no part "${name}"`);
        const saved = new Uint8Array(sizeOf(part));
        let at = 0;
        for (const { from, to } of part.spans) {
          saved.set(bytes.subarray(from, to), at);
          at += to - from;
        }
        return [name, { bytes: saved, numbers: part.kept.flatMap(({ save }) => save()) }];
      }),
    );
  }

  /** Whether a part was built as the one was that a state is of. */
  fits(name: string, { bytes, numbers }: PartState): boolean {
    const part = this.parts.get(name);
    if (!part) return false;
    const count = part.kept.reduce((sum, k) => sum + k.count, 0);
    return sizeOf(part) === bytes.length && count === numbers.length;
  }

  /** Brings a part to a state that fits it. */
  load(name: string, { bytes, numbers }: PartState): void {
    const part = this.parts.get(name);
    if (!part) throw new RangeError(`there is no part "${name}"`);
    const memory = this.bytes();
    let read = 0;
    for (const { from, to } of part.spans) {
      memory.set(bytes.subarray(read, read + to - from), from);
      read += to - from;
    }
    let at = 0;
    for (const { load, count } of part.kept) {
      load(numbers.slice(at, at + count));
      at += count;
    }
  }

  private bytes(): Uint8Array {
    if (!this.memory) throw new RangeError("there is no state while sizes are counted");
    return new Uint8Array(this.memory.buffer, this.memory.start, this.used);
  }

  float32(length: number): Floats {
    this.used += rounded(length * 4);
    return this.memory?.float32(length) ?? addressed(new Float32Array(length));
  }

  float64(length: number): Doubles {
    this.used += rounded(length * 8);
    return this.memory?.float64(length) ?? addressed(new Float64Array(length));
  }

  int32(length: number): Ints {
    this.used += rounded(length * 4);
    return this.memory?.int32(length) ?? addressed(new Int32Array(length));
  }
}
