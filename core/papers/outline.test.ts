import fc from "fast-check";
import { expect, test } from "vitest";
import { outlineOf, thinned } from "./outline";

const overviews = fc
  .array(fc.tuple(fc.integer({ min: -128, max: 0 }), fc.integer({ min: 0, max: 127 })), { maxLength: 500 })
  .map((pairs) => new Uint8Array(Int8Array.from(pairs.flat()).buffer));

test("a thinned overview keeps its extremes and has no more pairs than asked for", () => {
  fc.assert(
    fc.property(overviews, fc.integer({ min: 1, max: 300 }), (overview, atMost) => {
      const [all, thin] = [overview, thinned(overview, atMost)].map((x) => [...new Int8Array(x.buffer)]);
      expect(thin!.length).toBe(2 * Math.min(all!.length / 2, atMost));
      expect([Math.min(0, ...thin!), Math.max(0, ...thin!)]).toEqual([Math.min(0, ...all!), Math.max(0, ...all!)]);
    }),
  );
});

test("an outline lies between its loudest place and that place turned over", () => {
  fc.assert(
    fc.property(overviews, fc.integer({ min: 1, max: 300 }), (overview, points) => {
      for (const { least, most } of outlineOf(overview, points)) {
        expect([least >= -1, least <= 0, most >= 0, most <= 1]).toEqual([true, true, true, true]);
      }
    }),
  );
});
