import { ditherBits } from "../../random";

/** 1.5 * 2^52: added to a double and taken off again, it leaves the nearest whole number, the even one of two. */
const WHOLE = 6755399441055744;

/** Interleaved 24-bit stereo to two channels; full scale is 1. */
export function unpack24(bytes: Uint8Array, left: Float32Array, right: Float32Array, frames: number): void {
  const sample = (at: number) =>
    (((bytes[at] as number) << 8) | ((bytes[at + 1] as number) << 16) | ((bytes[at + 2] as number) << 24)) / 2147483648;
  for (let i = 0; i < frames; i++) {
    left[i] = sample(6 * i);
    right[i] = sample(6 * i + 3);
  }
}

/**
 * Channels to interleaved whole numbers of `width` bytes, little end first. Dither is two uniform halves, a triangle of
 * two steps' width (Lipshitz, Wannamaker & Vanderkooy 1992), from the seed and the absolute frame; rounded to the
 * nearest, half to even. Returns how many samples were held at full scale.
 */
export function pack(
  bytes: Uint8Array,
  channels: readonly Float32Array[],
  frames: number,
  width: 2 | 3,
  seed: number | null,
  start: number,
): number {
  const scale = width === 3 ? 8388608 : 32768;
  let clipped = 0;
  let at = 0;
  for (let i = 0; i < frames; i++) {
    for (const [c, x] of channels.entries()) {
      const wanted = (x[i] as number) * scale;
      const bits = seed === null ? 0 : ditherBits(seed, (start + i) * 2 + c);
      const dither = seed === null ? 0 : ((bits & 0xffff) + (bits >>> 16)) / 65536 - 1;
      const v = Math.max(-scale, Math.min(scale - 1, wanted + dither + WHOLE - WHOLE));
      if (wanted > scale - 0.5 || wanted < -scale - 0.5) clipped++;
      for (let b = 0; b < width; b++) bytes[at++] = (v >> (8 * b)) & 0xff;
    }
  }
  return clipped;
}
