import fc from "fast-check";
import { expect, it } from "vitest";
import type { AudioReader } from "../audio/audio-reader";
import { randomBipolar } from "../random";
import { beginningsOf, dulledFirstHit } from "./heard";
import { heardTempo, otherTempo } from "./tempo";

const RATE = 48000;

const readerOf = (samples: Float32Array): AudioReader => ({
  frames: samples.length,
  channels: 1,
  read(from, count, l, r, offset) {
    l.set(samples.subarray(from, from + count), offset);
    r.set(samples.subarray(from, from + count), offset);
  },
});

/** Decaying noise at each of these seconds. `fadeS`: over the file's beginning. */
function hits(seconds: readonly number[], fadeS = 0): AudioReader {
  const out = new Float32Array(Math.ceil((Math.max(...seconds) + 1) * RATE));
  for (const at of seconds) {
    const from = Math.round(at * RATE);
    for (let i = 0; i < 5000; i++)
      out[from + i] = (out[from + i] ?? 0) + 0.5 * (i === 0 ? 1 : randomBipolar(7, i)) * Math.exp(-i / 1500);
  }
  for (let i = 0; i < fadeS * RATE; i++) out[i] = (out[i] ?? 0) * (i / (fadeS * RATE)) ** 2;
  return readerOf(out);
}

const beginnings = (...files: AudioReader[]) => beginningsOf(files, RATE, () => undefined);

/** Parts of a beat that are played, from a seed; beats themselves more often than what lies between. */
const played = (bpm: number, seed: number, count: number, division = 4, first = 0): number[] => {
  const steps: number[] = [];
  for (let step = 0; steps.length < count; step++)
    if (steps.length === 0 || randomBipolar(seed, step) > (step % division === 0 ? -0.6 : 0.2))
      steps.push(first + (step * 60) / bpm / division);
  return steps;
};

const seeds = fc.nat(1_000_000);

it("hears a tempo that the stated one contradicts, wherever each file begins", () => {
  fc.assert(
    fc.property(seeds, fc.integer({ min: 80, max: 170 }), fc.integer({ min: 3, max: 9 }), (seed, bpm, off) => {
      const files = [played(bpm, seed, 60), played(bpm, seed + 1, 60, 4, 0.31)].map((s) => hits(s));
      const heard = heardTempo(beginnings(...files), RATE, bpm + off);
      expect(heard).not.toBeNull();
      // It may be counted half or twice as fast, and says so.
      const said = heard === null ? [] : [heard, otherTempo(heard)];
      expect(Math.min(...said.map((b) => Math.abs(b / bpm - 1)))).toBeLessThan(0.005);
    }),
    { numRuns: 25 },
  );
}, 120_000);

it("takes no longer for thousands of files than for as many as it weighs", () => {
  const many = Array.from({ length: 5000 }, (_, f) => ({
    frames: Array.from({ length: 60 }, (_, i) => 6000 * i + f),
    levels: Array.from({ length: 60 }, () => 0.5),
  }));
  let looked = 0;
  const counting = many.map((one) => new Proxy(one, { get: (t, k, r) => (looked++, Reflect.get(t, k, r)) as unknown }));
  heardTempo(counting, RATE, null);
  // Once for each file at most, and what is weighed of a few.
  expect(looked).toBeLessThan(3 * many.length);
});

it("contradicts no tempo that is kept, in sixteenths, triplets or fifths, nor where hits fall anywhere", () => {
  fc.assert(
    fc.property(
      seeds,
      fc.integer({ min: 60, max: 190 }),
      fc.constantFrom(1, 2, 3, 4, 5, 6, 8),
      fc.boolean(),
      (seed, bpm, division, free) => {
        const seconds = free
          ? Array.from({ length: 60 }, (_, i) => 0.4 * i + 0.15 * (1 + randomBipolar(seed, i)))
          : played(bpm, seed, 60, division);
        expect(heardTempo(beginnings(hits(seconds)), RATE, bpm)).toBeNull();
      },
    ),
    { numRuns: 40 },
  );
}, 120_000);

it("names a first hit that a fade dulled, and none that begins as it should", () => {
  fc.assert(
    fc.property(seeds, fc.double({ min: 0.01, max: 0.025, noNaN: true }), (seed, fadeS) => {
      const seconds = played(120, seed, 20);
      const [sound, dulled] = [hits(seconds), hits(seconds, fadeS)];
      const of = (audio: AudioReader) => dulledFirstHit(audio, beginnings(audio)[0]?.frames ?? [], RATE);
      expect(of(sound)).toBeNull();
      expect(of(dulled)?.riseS ?? 0).toBeGreaterThan(0.003);
    }),
    { numRuns: 25 },
  );
});
