import fc from "fast-check";
import { expect, test } from "vitest";
import { noise } from "../testing/listen";
import { Arena } from "./arena";
import { Delay } from "./delay";

test("holds a signal back by exactly its length, whatever the blocks, and says when what comes out is silence", () => {
  fc.assert(fc.property(fc.integer({ min: 1, max: 900 }), fc.constantFrom(64, 512), fc.integer({ min: 1, max: 1500 }), (length, block, sounding) => {
    const frames = 4096;
    const { left, right } = noise(frames, length);
    left.fill(0, sounding);
    right.fill(0, sounding);
    const delay = Arena.for((arena) => new Delay(length, arena, block));
    const out = new Float32Array(frames);
    let quietFrom = -1;
    for (let at = 0; at < frames; at += block) {
      const silentIn = at >= sounding;
      const silentOut = delay.push(left.subarray(at, at + block), right.subarray(at, at + block), block, silentIn);
      out.set(delay.left.subarray(0, block), at);
      if (silentOut) {
        expect(delay.left.subarray(0, block).every((v) => v === 0)).toBe(true);
        if (quietFrom < 0 && at > sounding) quietFrom = at;
      }
    }
    for (let f = 0; f < frames; f++) expect(out[f]).toBe(f < length ? 0 : left[f - length]);
    // Silence is noticed at the latest two blocks after the last sound has come out.
    expect(quietFrom).toBeLessThanOrEqual(Math.ceil((sounding + length) / block + 2) * block);
  }), { numRuns: 60 });
});
