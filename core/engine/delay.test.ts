import fc from "fast-check";
import { expect, test } from "vitest";
import { noise } from "../testing/listen";
import { Arena } from "../kernels/arena";
import { Delay } from "./delay";

test("holds a signal back by exactly its length, whatever the blocks, and says when what comes out is silence", () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 900 }),
      fc.constantFrom(64, 512),
      fc.integer({ min: 1, max: 1500 }),
      fc.boolean(),
      (length, block, sounding, inPlace) => {
        const frames = 4096;
        const { left, right } = noise(frames, length);
        left.fill(0, sounding);
        right.fill(0, sounding);
        const { delay, l, r } = Arena.for((arena) => ({
          delay: new Delay(length, arena, block),
          l: arena.float32(block),
          r: arena.float32(block),
        }));
        const out = new Float32Array(frames);
        let quietFrom = -1;
        for (let at = 0; at < frames; at += block) {
          const silentIn = at >= sounding;
          l.set(left.subarray(at, at + block));
          r.set(right.subarray(at, at + block));
          const silentOut = inPlace ? delay.hold(l, r, block, silentIn) : delay.push(l, r, block, silentIn);
          const held = inPlace ? l : delay.left;
          out.set(held, at);
          if (silentOut) {
            expect(held.every((v) => v === 0)).toBe(true);
            if (quietFrom < 0 && at > sounding) quietFrom = at;
          }
        }
        for (let f = 0; f < frames; f++) expect(out[f]).toBe(f < length ? 0 : left[f - length]);
        // Silence is noticed at the latest two blocks after the last sound has come out.
        expect(quietFrom).toBeLessThanOrEqual(Math.ceil((sounding + length) / block + 2) * block);
      },
    ),
    { numRuns: 60 },
  );
});
