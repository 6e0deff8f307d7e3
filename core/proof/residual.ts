import { gainToDb } from "../math";
import type { AudioReader } from "../audio/audio-reader";
import type { Db, Frames, Seconds } from "../units";

/** The sum of some files minus another: how far they are from adding up. Levels are null for an exact null. */
export interface Residual {
  readonly peakDb: Db | null;
  readonly rmsDb: Db | null;
  /** Peak of every `stepSeconds`. */
  readonly overTime: readonly (Db | null)[];
  readonly stepSeconds: Seconds;
}

const BLOCK: Frames = 16384;
const POINTS = 400;

/** A file that is summed; `side`: it is one channel of two, and the other is a file of its own. */
export interface Part {
  readonly audio: AudioReader;
  readonly side: "left" | "right" | null;
}

/** Streams all files side by side and sums in double precision. A part that ends early is silent from there on. */
export function residual(parts: readonly Part[], whole: AudioReader, rate: number): Residual {
  const frames = whole.frames;
  const step = Math.max(1, Math.ceil(frames / POINTS));
  const overTime: number[] = Array.from({ length: Math.ceil(frames / step) }, () => 0);
  const left = new Float32Array(BLOCK);
  const right = new Float32Array(BLOCK);
  const sumLeft = new Float64Array(BLOCK);
  const sumRight = new Float64Array(BLOCK);
  let square = 0;
  for (let from = 0; from < frames; from += BLOCK) {
    const n = Math.min(BLOCK, frames - from);
    whole.read(from, n, left, right, 0);
    for (let i = 0; i < n; i++) {
      sumLeft[i] = -(left[i] as number);
      sumRight[i] = -(right[i] as number);
    }
    for (const { audio, side } of parts) {
      const there = Math.max(0, Math.min(n, audio.frames - from));
      if (there > 0) audio.read(from, there, left, right, 0);
      if (side !== "right") for (let i = 0; i < there; i++) sumLeft[i] = (sumLeft[i] as number) + (left[i] as number);
      if (side !== "left") for (let i = 0; i < there; i++) sumRight[i] = (sumRight[i] as number) + (right[i] as number);
    }
    for (let i = 0; i < n; i++) {
      const l = sumLeft[i] as number;
      const r = sumRight[i] as number;
      square += l * l + r * r;
      const k = Math.floor((from + i) / step);
      overTime[k] = Math.max(overTime[k] ?? 0, Math.abs(l), Math.abs(r));
    }
  }
  const level = (value: number) => (value > 0 ? gainToDb(value) : null);
  return {
    peakDb: level(Math.max(0, ...overTime)),
    rmsDb: level(Math.sqrt(square / Math.max(1, 2 * frames))),
    overTime: overTime.map(level),
    stepSeconds: step / rate,
  };
}
