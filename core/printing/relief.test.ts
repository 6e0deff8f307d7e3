import fc from "fast-check";
import { expect, test } from "vitest";
import { freezeUntilItPlays } from "./relief";

test("nothing where it plays already, the dear one where it does not, everything where that is not enough", () => {
  const loads = { pad: 0.9, bass: 0.2, kit: 0.1, mix: 0.05 };
  expect(freezeUntilItPlays(loads, ["pad", "bass", "kit"], 2)).toEqual([]);
  expect(freezeUntilItPlays(loads, ["pad", "bass", "kit"], 0.6)).toEqual(["pad"]);
  expect(freezeUntilItPlays(loads, ["pad", "bass", "kit"], 1.1)).toEqual(["bass"]);
  expect(freezeUntilItPlays(loads, ["bass", "kit"], 0.5)).toEqual(["bass", "kit"]);
});

test("the cheapest set that is enough, against trying all of them", () => {
  fc.assert(
    fc.property(
      fc.array(fc.integer({ min: 0, max: 300 }), { minLength: 1, maxLength: 9 }),
      fc.integer({ min: 1, max: 1500 }),
      (thousandths, target) => {
        const ids = thousandths.map((_, i) => `t${i}`);
        const loads = Object.fromEntries(thousandths.map((n, i) => [`t${i}`, n / 1000]));
        const chosen = freezeUntilItPlays(loads, ids, target / 1000, 0);
        const sum = (set: readonly string[]) => set.reduce((a, id) => a + thousandths[ids.indexOf(id)]!, 0);
        const total = sum(ids);
        let best = Infinity;
        for (let mask = 0; mask < 1 << ids.length; mask++) {
          const s = sum(ids.filter((_, i) => mask & (1 << i)));
          if (total - s <= target) best = Math.min(best, s);
        }
        expect(total - sum(chosen)).toBeLessThanOrEqual(Math.max(target, 0));
        expect(sum(chosen)).toBe(best);
      },
    ),
    { numRuns: 200 },
  );
});
