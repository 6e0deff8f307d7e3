import fc from "fast-check";
import { expect, test } from "vitest";
import { openCheckpoint, shareCheckpoint } from "./shared-checkpoint";

test("a checkpoint comes back from shared memory as it was, and what is zero takes no room there", () => {
  const part = fc.record({
    bytes: fc.tuple(fc.nat(20_000), fc.uint8Array({ maxLength: 40 }), fc.nat(20_000)).map(([before, bytes, behind]) => {
      const all = new Uint8Array(before + bytes.length + behind);
      all.set(bytes, before);
      return all;
    }),
    numbers: fc.array(fc.double(), { maxLength: 9 }),
  });
  fc.assert(
    fc.property(fc.array(fc.tuple(fc.string(), part), { maxLength: 6 }), fc.nat(), (parts, clock) => {
      const checkpoint = { clock, block: 256, latency: 12, state: new Map(parts) };
      const shared = shareCheckpoint(checkpoint);
      expect(openCheckpoint(shared)).toEqual(checkpoint);
      expect(shared.memory.byteLength).toBeLessThan(30_000);
    }),
    { numRuns: 60 },
  );
});
