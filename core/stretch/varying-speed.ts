import type { Sink } from "../engine/render";
import { PI, besselI0, sin } from "../math";
import type { Frames } from "../units";

/** Zero crossings of the kernel on each side, the window's shape, and rows of the table to a frame. */
const CROSSINGS = 48;
const KAISER_BETA = 11;
const ROW_BITS = 10;
const ROWS = 1 << ROW_BITS;
/** How much of the band below the corner is kept whole. */
const CORNER = 0.93;
/** The most that audio is read faster: two octaves up, twice, as a clip's own interval and its line allow. */
const FASTEST = 16;

/** Values of the kernel at one place between two frames: a tap for each frame on one side. */
const TAPS = CROSSINGS + 2;

/** One side of the windowed sinc (Kaiser), from its middle on; between two rows it is nearly straight. */
function kernelAt(row: number): number {
  const t = row / ROWS;
  const edge = t / CROSSINGS;
  const x = PI * t * CORNER;
  return edge >= 1 ? 0 : (t === 0 ? 1 : sin(x) / x) * besselI0(KAISER_BETA * Math.sqrt(1 - edge * edge));
}

/**
 * The kernel by phase: row r stands at `(r mod ROWS) * TAPS + floor(r / ROWS)`. What is read for one frame at the
 * recording's speed then lies in one line of memory; row by row, all of it would fall into the same set of the cache.
 */
const KERNEL = Float64Array.from({ length: ROWS * TAPS }, (_, i) => kernelAt((i % TAPS) * ROWS + Math.floor(i / TAPS)));

/**
 * Reads audio at a speed that moves, as a stream: frame m of the result is the audio at `placeOf(m)`, which rises. What
 * would fold over where it is read faster is taken away there, by a kernel as much wider. Smith, "Digital audio
 * resampling", with the cutoff following the speed.
 */
export class VaryingSpeed {
  private left = new Float64Array(1 << 14);
  private right = new Float64Array(1 << 14);
  /** Frame that the buffers begin with, and frames in them. */
  private base: Frames = 0;
  private held: Frames = 0;
  private made: Frames = 0;
  private readonly out = [new Float32Array(1024), new Float32Array(1024)] as const;

  constructor(
    private readonly placeOf: (frame: Frames) => number,
    private readonly frames: Frames,
    private readonly sink: Sink,
  ) {}

  push(left: Float32Array, right: Float32Array, offset: number, count: Frames): void {
    this.makeRoom(count);
    for (let i = 0; i < count; i++) {
      this.left[this.held + i] = left[offset + i] as number;
      this.right[this.held + i] = right[offset + i] as number;
    }
    this.held += count;
    this.produce(this.base + this.held);
  }

  /** Behind the last frame lies silence. */
  finish(): void {
    this.produce(Infinity);
  }

  private makeRoom(count: Frames): void {
    const reach = CROSSINGS * FASTEST + 1;
    const drop = Math.max(0, Math.min(this.held, Math.floor(this.placeOf(this.made)) - reach - this.base));
    if (this.held + count <= this.left.length) return;
    this.left.copyWithin(0, drop, this.held);
    this.right.copyWithin(0, drop, this.held);
    this.base += drop;
    this.held -= drop;
    if (this.held + count <= this.left.length) return;
    for (const side of ["left", "right"] as const) {
      const longer = new Float64Array(2 * (this.held + count));
      longer.set(this[side].subarray(0, this.held));
      this[side] = longer;
    }
  }

  /** All frames that need nothing from frame `end` on. */
  private produce(end: number): void {
    const { left, right, base, held, out } = this;
    let filled = 0;
    while (this.made < this.frames) {
      const place = this.placeOf(this.made);
      const speed = Math.max(1, Math.min(FASTEST, this.placeOf(this.made + 0.5) - this.placeOf(this.made - 0.5)));
      const reach = CROSSINGS * speed;
      if (place + reach + 1 >= end) break;
      // Frames of audio are counted in 31 bits everywhere; as integers the loop needs no conversions.
      const first = Math.ceil(place - reach) | 0;
      const last = Math.floor(place + reach) | 0;
      const from = Math.max(base, first);
      const to = Math.min(base + held - 1, last);
      let l = 0;
      let r = 0;
      let sum = 0;
      // Weights outside of the audio count as well: its ends fade as silence beside them would have it.
      for (let k = first; k <= last; k++) {
        const away = Math.abs(k - place);
        const at = (speed === 1 ? away : away / speed) * ROWS;
        const row = at | 0;
        const a = KERNEL[(row & (ROWS - 1)) * TAPS + (row >> ROW_BITS)] as number;
        const b = KERNEL[((row + 1) & (ROWS - 1)) * TAPS + ((row + 1) >> ROW_BITS)] as number;
        const h = a + (at - row) * (b - a);
        sum += h;
        if (k < from || k > to) continue;
        l += h * (left[k - base] as number);
        r += h * (right[k - base] as number);
      }
      out[0][filled] = l / sum;
      out[1][filled] = r / sum;
      this.made++;
      if (++filled === out[0].length) {
        this.sink(out[0], out[1], 0, filled);
        filled = 0;
      }
    }
    if (filled > 0) this.sink(out[0], out[1], 0, filled);
  }
}
