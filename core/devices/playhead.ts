import { PI, besselI0, sin } from "../math";
import type { Arena } from "../kernels/arena";
import type { AudioReader } from "../audio/audio-reader";
import type { Frames } from "../units";
import { QUANTUM } from "./device";
import type { Floats } from "../kernels/kernels";

/** Taps and phases of the interpolator; one table for each rate of reading, so that reading faster does not fold. */
export const TAPS = 32;
export const PHASES = 256;
const CUTOFFS = [1, 0.84, 0.71, 0.59, 0.5, 0.42, 0.35, 0.3, 0.25] as const;
const tables = new Map<number, Float32Array>();

/** How much of the band is kept at a rate of reading, so that nothing folds. */
export const cutoffFor = (step: number): number => CUTOFFS.find((c) => c * step <= 1.0000001) ?? 0.25;

/** Windowed sinc (Kaiser, beta 9), row p for a position p / PHASES after a frame; rows sum to one. */
export function tableFor(step: number): Float32Array {
  const cutoff = cutoffFor(step);
  const known = tables.get(cutoff);
  if (known) return known;
  const table = new Float32Array((PHASES + 1) * TAPS);
  for (let p = 0; p <= PHASES; p++) {
    const values = Float64Array.from({ length: TAPS }, (_, k) => {
      const t = k - (TAPS / 2 - 1) - p / PHASES;
      const edge = t / (TAPS / 2);
      const x = PI * t * cutoff;
      return Math.abs(edge) >= 1 ? 0 : (t === 0 ? 1 : sin(x) / x) * besselI0(9 * Math.sqrt(1 - edge * edge));
    });
    const sum = values.reduce((a, b) => a + b, 0);
    values.forEach((v, k) => {
      table[p * TAPS + k] = v / sum;
    });
  }
  tables.set(cutoff, table);
  return table;
}

/** Fastest reading, in frames of audio a frame. */
export const FASTEST = 8;

/**
 * Reads a piece of audio at any rate, frame by frame of the session, a quantum at most at a time. At a rate of one its
 * samples pass as they are.
 */
export class Playhead {
  private readonly table: Floats;
  private readonly scratchLeft: Floats;
  private readonly scratchRight: Floats;
  readonly step: number;

  constructor(
    private readonly audio: AudioReader,
    step: number,
    private readonly arena: Arena,
  ) {
    this.step = Math.min(FASTEST, step);
    const table = tableFor(this.step);
    this.table = arena.apart(() => arena.float32(this.step === 1 ? 0 : table.length));
    if (this.step !== 1) this.table.set(table);
    const room = this.step === 1 ? 0 : Math.ceil(QUANTUM * this.step) + TAPS + 4;
    this.scratchLeft = arena.float32(room);
    this.scratchRight = arena.float32(room);
  }

  /** Frames of the session until the audio has been read. */
  get frames(): Frames {
    return Math.ceil(this.audio.frames / this.step);
  }

  /**
   * Writes frames `from` to `from + count` of the reading into `left` and `right`, which lie in the arena, from index
   * `into`; beyond the audio is silence.
   */
  read(from: Frames, count: Frames, left: Floats, right: Floats, into = 0): void {
    const { audio, step, table, scratchLeft, scratchRight } = this;
    if (step === 1) {
      const n = Math.max(0, Math.min(count, audio.frames - from));
      if (n > 0) audio.read(from, n, left, right, into);
      left.fill(0, into + n, into + count);
      right.fill(0, into + n, into + count);
      return;
    }
    const first = Math.floor(from * step) - (TAPS / 2 - 1);
    const last = Math.floor((from + count - 1) * step) + TAPS / 2 + 1;
    const begin = Math.max(0, first),
      end = Math.min(audio.frames, last + 1);
    scratchLeft.fill(0);
    scratchRight.fill(0);
    if (end > begin) audio.read(begin, end - begin, scratchLeft, scratchRight, begin - first);
    const { readBetween } = this.arena.kernels;
    readBetween(left.address + 4 * into, scratchLeft.address, count, from * step, step, first, table.address, PHASES);
    readBetween(right.address + 4 * into, scratchRight.address, count, from * step, step, first, table.address, PHASES);
  }
}
