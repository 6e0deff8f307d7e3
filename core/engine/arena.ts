const ALIGN = 16;

/**
 * Hands out typed arrays from one block of memory that is sized before rendering starts and never grows.
 * Built once over no memory to measure what a graph needs, then over memory of exactly that size.
 */
export class Arena {
  private used: number;

  private constructor(private readonly memory: ArrayBuffer | null) {
    this.used = 0;
  }

  /** Runs `build` twice: first to count bytes, then for real. `build` must ask for the same arrays both times. */
  static for<T>(build: (arena: Arena) => T): T {
    const measure = new Arena(null);
    build(measure);
    return build(new Arena(new ArrayBuffer(measure.used)));
  }

  float32(length: number): Float32Array {
    const at = this.take(length * 4);
    return this.memory ? new Float32Array(this.memory, at, length) : new Float32Array(length);
  }

  float64(length: number): Float64Array {
    const at = this.take(length * 8);
    return this.memory ? new Float64Array(this.memory, at, length) : new Float64Array(length);
  }

  int32(length: number): Int32Array {
    const at = this.take(length * 4);
    return this.memory ? new Int32Array(this.memory, at, length) : new Int32Array(length);
  }

  private take(bytes: number): number {
    const at = this.used;
    this.used = Math.ceil((at + bytes) / ALIGN) * ALIGN;
    return at;
  }
}
