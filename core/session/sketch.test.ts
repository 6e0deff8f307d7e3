import fc from "fast-check";
import { expect, it } from "vitest";
import { randomSessions } from "../testing/random-session";
import { sketchOf } from "./sketch";

it("draws every stretch inside the picture, in order, apart from each other, and no more of them than are seen", () => {
  fc.assert(
    fc.property(randomSessions(), (session) => {
      const { rows, frames } = sketchOf(session);
      expect(rows.length).toBeLessThanOrEqual(16);
      expect(frames > 0).toBe(session.tracks.some((t) => !t.parked && t.clips.length > 0));
      for (const { spans } of rows) {
        expect(spans.length).toBeGreaterThan(0);
        spans.forEach(([from, to], i) => {
          expect(from).toBeGreaterThanOrEqual(i === 0 ? 0 : (spans[i - 1]?.[1] ?? 0) + 5);
          expect(to).toBeLessThanOrEqual(1000);
          expect(to).toBeGreaterThanOrEqual(from);
        });
      }
    }),
    { numRuns: 60 },
  );
});
