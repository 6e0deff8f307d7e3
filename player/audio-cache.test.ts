import { describe, expect, test } from "vitest";
import { MissingAudio } from "../core/engine/library";
import { MemorySink } from "../core/formats/bytes/bytes";
import { WavWriter } from "../core/formats/wav/write";
import { noise } from "../core/testing/listen";
import type { AudioOrigin } from "./audio-cache";
import { AudioCache, BLOCK_BYTES } from "./audio-cache";

const FRAMES = 100_000;
const sound = noise(FRAMES, 3, 0.5);
const file = (() => {
  const sink = new MemorySink();
  const writer = new WavWriter(sink, {
    format: { rate: 48000, channels: 2, depth: "32f" },
    bext: null,
    ditherSeed: null,
  });
  writer.write(sound.left, sound.right, 0, FRAMES);
  writer.finish();
  return sink.bytes();
})();

/** A server that counts what it is asked for. */
function served(fail: (first: number) => boolean = () => false) {
  const asked: [first: number, end: number][] = [];
  const origin: AudioOrigin = {
    async blocks(asset, first, end) {
      asked.push([first, end]);
      if (asset !== "noise") throw new MissingAudio(asset);
      if (fail(first)) throw new Error("the line was cut");
      const blocks: Uint8Array[] = [];
      for (let b = first; b < end && b * BLOCK_BYTES < file.length; b++)
        blocks.push(file.slice(b * BLOCK_BYTES, Math.min(file.length, (b + 1) * BLOCK_BYTES)));
      return { blocks, size: file.length };
    },
    reshaped: async () => ({ left: Float32Array.of(1, 2), right: Float32Array.of(3, 4) }),
  };
  return { origin, asked, cache: new AudioCache(origin) };
}
const need = (from: number, to: number) => ({ asset: "noise", reshape: null, from, to });
const read = (cache: AudioCache, from: number, count: number) => {
  const [left, right] = [new Float32Array(count), new Float32Array(count)];
  cache.library("noise").read(from, count, left, right, 0);
  return { left, right };
};

describe("audio that is fetched ahead", () => {
  test("what was loaded reads as it is in the file, sample for sample; what was not cannot be read", async () => {
    const { cache } = served();
    await cache.open(["noise"]);
    expect(cache.framesOf("noise", null)).toBe(FRAMES);
    await cache.load([need(40_000, 60_000)]);
    expect(read(cache, 45_000, 10_000)).toEqual({
      left: sound.left.slice(45_000, 55_000),
      right: sound.right.slice(45_000, 55_000),
    });
    expect(() => read(cache, 90_000, 1000)).toThrow("not been fetched");
  });

  test("nothing is asked for twice, also while it is on its way; neighbours are asked for in one piece", async () => {
    const { cache, asked } = served();
    await cache.open(["noise"]);
    await Promise.all([cache.load([need(0, FRAMES)]), cache.load([need(20_000, 80_000)])]);
    await cache.load([need(0, FRAMES)]);
    const blocks = asked.flatMap(([first, end]) => Array.from({ length: end - first }, (_, i) => first + i));
    expect(new Set(blocks).size).toBe(blocks.length);
    expect(asked.length).toBeLessThanOrEqual(2);
  });

  test("what failed is asked for again, and one that failed takes nothing else with it", async () => {
    let broken = true;
    const { cache } = served((first) => first > 0 && broken);
    await cache.open(["noise"]);
    await expect(cache.load([need(60_000, 61_000)])).rejects.toThrow("the line was cut");
    broken = false;
    await cache.load([need(60_000, 61_000)]);
    expect(read(cache, 60_000, 1000).left).toEqual(sound.left.slice(60_000, 61_000));
  });

  test("audio that is nowhere is said to be missing, by its hash", async () => {
    const { cache } = served();
    await expect(cache.open(["gone"])).rejects.toBeInstanceOf(MissingAudio);
    expect(() => cache.library("gone")).toThrow(MissingAudio);
  });

  test("another cache gets the blocks as they are kept", async () => {
    const { cache, asked } = served();
    const other = new AudioCache({ blocks: (a, f, e) => cache.blocks(a, f, e), reshaped: served().origin.reshaped });
    await cache.open(["noise"]);
    await cache.load([need(0, FRAMES)]);
    const before = asked.length;
    await other.open(["noise"]);
    await other.load([need(10_000, 20_000)]);
    expect(asked.length).toBe(before);
    expect(read(other, 10_000, 1000).left).toEqual(sound.left.slice(10_000, 11_000));
  });
});
