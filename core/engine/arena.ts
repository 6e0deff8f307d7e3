import type { Kernels } from "../kernels/kernels";
import { KernelMemory, rounded } from "../kernels/kernels";

/**
 * Hands out typed arrays from one block of memory that is sized before rendering starts and never grows.
 * Built once over no memory to measure what a graph needs, then over memory of exactly that size, where the kernels work.
 */
export class Arena {
  private used = 0;

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

  float32(length: number): Float32Array {
    this.used += rounded(length * 4);
    return this.memory?.float32(length) ?? new Float32Array(length);
  }

  float64(length: number): Float64Array {
    this.used += rounded(length * 8);
    return this.memory?.float64(length) ?? new Float64Array(length);
  }

  int32(length: number): Int32Array {
    this.used += rounded(length * 4);
    return this.memory ? new Int32Array(this.memory.buffer, this.memory.take(length * 4), length) : new Int32Array(length);
  }
}
