/**
 * Counter-based randomness: every value is a pure function of a seed and an index, so any slice of a noise
 * can be made alone and equals the same slice of the whole. Mixing function: MurmurHash3 finaliser (public domain).
 */
const mix = (value: number): number => {
  let h = value | 0;
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  return (h ^ (h >>> 16)) >>> 0;
};

/** 32 random bits for a seed and an index (index below 2^53). */
export const randomBits = (seed: number, index: number): number =>
  mix(
    (mix((index >>> 0) ^ seed) + Math.imul(Math.floor(index / 4294967296) + 1, 0x9e3779b9)) ^
      Math.imul(seed, 0x27d4eb2f),
  );

/**
 * 32 random bits for dither, of which millions a second are made: a counter that goes on by the golden ratio (Weyl),
 * mixed once.
 */
export const ditherBits = (seed: number, index: number): number =>
  mix(Math.imul(index >>> 0, 0x9e3779b9) + mix(seed + Math.imul(Math.floor(index / 4294967296), 0x85ebca6b)));

/** Uniform in [0, 1). */
export const randomUnit = (seed: number, index: number): number => randomBits(seed, index) / 4294967296;

/** Uniform in [-1, 1). */
export const randomBipolar = (seed: number, index: number): number => randomBits(seed, index) / 2147483648 - 1;

/** A 32-bit seed from a text. FNV-1a, then mixed. */
export function seedFrom(text: string): number {
  let h = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) h = Math.imul(h ^ text.charCodeAt(i), 0x01000193);
  return mix(h);
}
