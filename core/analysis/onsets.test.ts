import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { noise } from "../testing/listen";
import { OnsetFinder } from "./onsets";

const RATE = 48000;

function find(left: Float32Array, block = 4096): readonly number[] {
  const finder = new OnsetFinder(RATE);
  for (let at = 0; at < left.length; at += block) finder.push(left, left, at, Math.min(block, left.length - at));
  return finder.onsets;
}

/** Hits of noise that die away, over a bed of quieter noise. */
function hits(at: readonly number[], bedDb: number): Float32Array {
  const bed = noise(RATE * 4, 3, 10 ** (bedDb / 20)).left;
  const grain = noise(9600, 8, 0.8).left;
  for (const start of at)
    for (let i = 0; i < grain.length && start + i < bed.length; i++)
      bed[start + i] = (bed[start + i] as number) + (grain[i] as number) * Math.exp(-i / 1500);
  return bed;
}

describe("onsets", () => {
  test("hits are found within a millisecond of where they are, and nothing else, whatever the blocks", () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 1, max: 15 }), { minLength: 1, maxLength: 10 }),
        fc.integer({ min: 0, max: 4000 }),
        fc.integer({ min: -70, max: -32 }),
        fc.integer({ min: 1, max: 9000 }),
        (slots, jitter, bed, block) => {
          const places = slots.sort((a, b) => a - b).map((s) => s * 11_000 + ((jitter * s) % 3000));
          const audio = hits(places, bed);
          // The bed begins, too, where it is loud enough.
          const found = find(audio, block).filter((f) => f > 2000);
          expect(found.length).toBe(places.length);
          found.forEach((f, i) => expect(Math.abs(f - places[i]!)).toBeLessThanOrEqual(48));
          expect(find(audio, block)).toEqual(find(audio));
        },
      ),
      { numRuns: 40 },
    );
  });

  test("a tone, a swell, hiss and silence have no beginnings inside them", () => {
    const of = (f: (i: number) => number) => Float32Array.from({ length: RATE * 2 }, (_, i) => f(i));
    expect(find(of(() => 0))).toEqual([]);
    expect(find(of((i) => 0.5 * Math.sin((2 * Math.PI * 55 * i) / RATE))).filter((f) => f > 2000)).toEqual([]);
    expect(find(of((i) => (i / RATE / 4) * Math.sin((2 * Math.PI * 200 * i) / RATE))).filter((f) => f > 20000)).toEqual(
      [],
    );
    expect(find(noise(RATE * 2, 1, 0.3).left).filter((f) => f > 2000)).toEqual([]);
  });
});
