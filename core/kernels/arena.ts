import type { Doubles, Floats, Ints, Kernels } from "./kernels";
import { KernelMemory, addressed, rounded } from "./kernels";

/**
 * Hands out typed arrays from one block of memory that is sized before rendering starts and never grows.
 * Built once over no memory to measure what a graph needs, then over memory of exactly that size, where the kernels
 * work.
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
