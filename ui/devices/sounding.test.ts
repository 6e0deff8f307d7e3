import fc from "fast-check";
import { expect, test } from "vitest";
import { heldAt } from "./sounding";

test("the notes that are held are those that began and have not ended, whatever else there is", () => {
  const note = fc.record({
    start: fc.nat(1000),
    frames: fc.integer({ min: 1, max: 300 }),
    pitch: fc.nat(127),
    velocity: fc.integer({ min: 1, max: 127 }),
  });
  fc.assert(
    fc.property(fc.array(note, { maxLength: 40 }), fc.nat(1400), (all, at) => {
      const notes = [...all].sort((a, b) => a.start - b.start);
      const longest = Math.max(0, ...notes.map((n) => n.frames));
      const wanted = notes.filter((n) => n.start <= at && at < n.start + n.frames);
      expect(heldAt(notes, longest, at).toReversed()).toEqual(
        wanted.map(({ pitch, velocity }) => ({ pitch, velocity })),
      );
    }),
  );
});
