import { Resampler } from "../analysis/resample";
import type { AudioReader } from "../audio/audio-reader";
import type { Sink } from "../engine/render";
import { pow } from "../math";
import type { Reshape } from "../session/clips";
import { stretchedFrames } from "../session/clips";
import type { Frames } from "../units";
import type { Stretcher } from "./stretcher";

/**
 * Largest denominator of a transposition as a fraction (the converter keeps a kernel for each), and what is near
 * enough: a fiftieth of a cent.
 */
const FINEST = 4096;
const NEAR = 1.2e-5;
const CHUNK: Frames = 4096;

/**
 * Reverses, stretches and transposes an asset into exactly stretchedFrames(frames, stretch) frames. Transposing is
 * stretching by the interval and converting back by it, which is far nearer to the pitch asked for than shifting a
 * spectrum.
 */
export function reshapeAudio(
  audio: AudioReader,
  { reverse, stretch, transposeCents }: Reshape,
  stretcher: Stretcher,
  sink: Sink,
): void {
  const total = stretchedFrames(audio.frames, stretch);
  const [over, under] = fraction(pow(2, transposeCents / 1200));
  const interval = over / under;
  let left = total;
  const limited: Sink = (l, r, offset, count) => {
    const n = Math.min(left, count);
    if (n > 0) sink(l, r, offset, n);
    left -= n;
  };
  const converter = over === under ? null : new Resampler(over, under, limited);
  const take: Sink = converter ? converter.push.bind(converter) : limited;
  const read = (from: Frames, count: Frames, l: Float32Array, r: Float32Array) => {
    if (!reverse) {
      audio.read(from, count, l, r, 0);
      return;
    }
    audio.read(audio.frames - from - count, count, l, r, 0);
    l.subarray(0, count).reverse();
    r.subarray(0, count).reverse();
  };
  if (Math.abs(stretch * interval - 1) < 1e-6) {
    const l = new Float32Array(CHUNK),
      r = new Float32Array(CHUNK);
    for (let from = 0; from < audio.frames; from += CHUNK) {
      const n = Math.min(CHUNK, audio.frames - from);
      read(from, n, l, r);
      take(l, r, 0, n);
    }
  } else {
    stretcher.run(audio.frames, stretch * interval, read, take);
  }
  converter?.finish();
  // Rounding in two places can leave the last frame out.
  if (left > 0) sink(new Float32Array(left), new Float32Array(left), 0, left);
}

/**
 * The first fraction that is near enough to a number between 1/4 and 4, by trying every denominator: the convergents of
 * a continued fraction alone leave out the neighbours of 1 that a few cents need. Whole cents come within a tenth of a
 * cent.
 */
export function fraction(value: number): readonly [over: number, under: number] {
  let best: readonly [number, number] = [1, 1];
  let off = Infinity;
  for (let under = 1; under <= FINEST && off > NEAR; under++) {
    const over = Math.round(value * under);
    const error = Math.abs(over / (value * under) - 1);
    if (error < off) {
      off = error;
      best = [over, under];
    }
  }
  return best;
}
