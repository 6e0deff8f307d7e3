import { Resampler } from "../analysis/resample";
import type { AudioReader } from "../engine/audio-reader";
import type { Sink } from "../engine/render";
import { pow } from "../math";
import type { Reshape } from "../session/clips";
import { stretchedFrames } from "../session/clips";
import type { Frames } from "../units";
import type { Stretcher } from "./stretcher";

/** Largest denominator of a transposition as a fraction: off by a twentieth of a cent at most. */
const FINEST = 512;
const CHUNK: Frames = 4096;

/**
 * Reverses, stretches and transposes an asset into exactly stretchedFrames(frames, stretch) frames. Transposing is stretching by the
 * interval and converting back by it, which is far nearer to the pitch asked for than shifting a spectrum.
 */
export function reshapeAudio(audio: AudioReader, { reverse, stretch, transposeCents }: Reshape, stretcher: Stretcher, sink: Sink): void {
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
    const l = new Float32Array(CHUNK), r = new Float32Array(CHUNK);
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

/** The nearest fraction to a number between 1/4 and 4 with both parts small: continued fractions. */
export function fraction(value: number): readonly [over: number, under: number] {
  let [h0, k0, h1, k1] = [0, 1, 1, 0];
  let x = value;
  for (;;) {
    const whole = Math.floor(x);
    const [h2, k2] = [whole * h1 + h0, whole * k1 + k0];
    if (h2 > 4 * FINEST || k2 > FINEST) break;
    [h0, k0, h1, k1] = [h1, k1, h2, k2];
    if (Math.abs(x - whole) < 1e-9) break;
    x = 1 / (x - whole);
  }
  return [h1, k1];
}
