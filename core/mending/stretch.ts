import type { AudioReader } from "../audio/audio-reader";
import type { Frames } from "../units";
import { WINDOW } from "./lags";

const WINDOWS = 3;

/** Frames of a file wherever they are asked for: silence before it and behind it. */
export function stretch(
  audio: AudioReader,
  from: Frames,
  count: Frames,
): readonly [left: Float32Array, right: Float32Array] {
  const [left, right] = [new Float32Array(count), new Float32Array(count)];
  const begin = Math.max(0, from);
  const end = Math.min(audio.frames, from + count);
  if (end > begin) audio.read(begin, end - begin, left, right, begin - from);
  return [left, right];
}

/** First frames of stretches of a window's length with most energy, apart from each other. `energies`: of blocks. */
export function loudestStretches(energies: readonly number[], block: Frames): readonly Frames[] {
  const wide = Math.max(1, Math.round(WINDOW / block));
  const sums = energies.map((_, i) => energies.slice(i, i + wide).reduce((a, b) => a + b, 0));
  const windows: number[] = [];
  const order = sums.map((_, i) => i).sort((a, b) => (sums[b] as number) - (sums[a] as number) || a - b);
  for (const i of order) {
    if (windows.length >= WINDOWS || sums[i] === 0) break;
    if (windows.every((w) => Math.abs(w - i) >= wide)) windows.push(i);
  }
  return windows.map((i) => i * block);
}
