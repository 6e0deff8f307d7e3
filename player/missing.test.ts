import { expect, test } from "vitest";
import { Missing } from "./missing";

test("missing sound is told at once, then ten times a second at most, and none is lost", () => {
  const missing = new Missing();
  const told: [atMs: number, frames: number][] = [];
  let added = 0;
  for (let ms = 0; ms < 1000; ms++) {
    if (ms < 700 && ms % 3 === 0) {
      missing.add(128);
      added += 128;
    }
    missing.tell(ms, (frames) => told.push([ms, frames]));
  }
  expect(told[0]).toEqual([0, 128]);
  for (const [i, [ms]] of told.entries()) expect(ms - (told[i - 1]?.[0] ?? -Infinity)).toBeGreaterThanOrEqual(100);
  expect(told).toHaveLength(8);
  expect(told.reduce((sum, [, frames]) => sum + frames, 0)).toBe(added);
});
