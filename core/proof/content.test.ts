import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { MemorySink, MemorySource } from "../formats/bytes/bytes";
import { WavReader } from "../formats/wav/read";
import { WavWriter } from "../formats/wav/write";
import type { Heard } from "../testing/listen";
import { noise } from "../testing/listen";
import type { Content } from "./content";
import { CONTENT_LIMIT_DB, ContentCheck } from "./content";
import { sayCause } from "../words/verdict";

type Depth = "16" | "24" | "32f";

function fileOf({ left, right }: Heard, depth: Depth, channels: 1 | 2 = 2): WavReader {
  const sink = new MemorySink();
  const writer = new WavWriter(sink, {
    format: { rate: 48000, channels, depth },
    bext: null,
    ditherSeed: depth === "32f" ? null : 5,
  });
  writer.write(left, right, 0, left.length);
  writer.finish();
  return WavReader.open(new MemorySource(sink.bytes()));
}

function held(file: WavReader, render: Heard, depth: Depth, block = 1000): Content {
  const check = new ContentCheck(file, depth);
  for (let at = 0; at < render.left.length; at += block)
    check.sink(render.left, render.right, at, Math.min(block, render.left.length - at));
  return check.finish();
}

const each = (h: Heard, how: (v: number, i: number, side: 0 | 1) => number): Heard => ({
  left: h.left.map((v, i) => how(v, i, 0)),
  right: h.right.map((v, i) => how(v, i, 1)),
});
const depths = fc.constantFrom<Depth>("16", "24", "32f");
/** A sound with silence before it, of any length. */
const sounds = fc
  .tuple(fc.integer({ min: 3000, max: 90_000 }), fc.nat(2000), fc.nat(1000))
  .map(([frames, lead, seed]) => each(noise(frames, seed, 0.3), (v, i) => (i < lead ? 0 : v)));

describe("a delivered file beside a fresh render", () => {
  test("the same is the same at every depth, whatever the length and the blocks, up to its own last step", () => {
    fc.assert(
      fc.property(sounds, depths, fc.integer({ min: 1, max: 9000 }), fc.boolean(), (sound, depth, block, narrow) => {
        const render = narrow ? { left: sound.left, right: sound.left } : sound;
        const content = held(fileOf(render, depth, narrow ? 1 : 2), render, depth, block);
        expect(content.residueDb ?? -Infinity).toBeLessThanOrEqual(CONTENT_LIMIT_DB[depth]);
        expect([content.cause, content.offsetFrames, content.clippedSamples, content.frames]).toEqual([
          null,
          0,
          0,
          render.left.length,
        ]);
      }),
      { numRuns: 40, seed: 3 },
    );
  });

  test.each<[string, (h: Heard, by: number) => Heard, RegExp]>([
    ["a gain of 0.1 dB", (h) => each(h, (v) => v * 10 ** (0.1 / 20)), /^it is 0\.10 dB too loud$/],
    [
      "a shift by some frames",
      (h, by) => each(h, (_, i, side) => (side === 0 ? h.left : h.right)[i - by] ?? 0),
      /^it comes \d+ frames? late$/,
    ],
    ["swapped channels", (h) => ({ left: h.right, right: h.left }), /^left and right are swapped$/],
    ["inverted polarity", (h) => each(h, (v) => -v), /^its polarity is inverted$/],
    [
      "a part that is missing",
      (h) => each(h, (v, i) => v - 0.05 * Math.sin(i)),
      /^it lacks a part of its sound, or holds a foreign one$/,
    ],
    [
      "a stretch that is missing far behind",
      (h) => each(h, (v, i) => (i > h.left.length - 500 ? 0 : v)),
      /^it differs further on|^it lacks a part/,
    ],
    ["silence", (h) => each(h, () => 0), /^it is silent where it should sound$/],
  ])("%s is found, and said", (_, spoil, said) => {
    fc.assert(
      fc.property(sounds, depths, fc.integer({ min: 1, max: 900 }), (sound, depth, by) => {
        const content = held(fileOf(spoil(sound, by), depth), sound, depth);
        expect(content.residueDb ?? -Infinity).toBeGreaterThan(CONTENT_LIMIT_DB[depth]);
        expect(content.cause && sayCause(content.cause)).toMatch(said);
      }),
      { numRuns: 12, seed: 4 },
    );
  });

  test("what a whole-number file had to hold at full scale is counted, with what it lost, and is no foreign content", () => {
    const loud = each(noise(20_000, 8, 0.4), (v, i) => (i >= 9000 && i < 9063 ? Math.sign(v || 1) * 3.5 : v));
    for (const depth of ["16", "24"] as const) {
      const content = held(fileOf(loud, depth), loud, depth);
      expect([content.clippedSamples, content.cause]).toEqual([126, null]);
      expect(content.lostDb).toBeCloseTo(20 * Math.log10(3.5), 3);
    }
    expect(held(fileOf(loud, "32f"), loud, "32f")).toMatchObject({ clippedSamples: 0, residueDb: null });
  });

  test("a ringing render goes on where the file ends, which moves nothing", () => {
    const ringing = noise(90_000, 2, 0.3);
    const short = { left: ringing.left.slice(0, 20_000), right: ringing.right.slice(0, 20_000) };
    expect(held(fileOf(short, "24"), ringing, "24")).toMatchObject({ offsetFrames: 0, cause: null, frames: 90_000 });
  });
});
