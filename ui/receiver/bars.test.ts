import fc from "fast-check";
import { expect, test } from "vitest";
import type { Delivery } from "../../contract/link";
import { barsOf } from "./bars";

const RATE = 48000;
const delivery = (over: Partial<Delivery>): Delivery =>
  ({
    ...{ tempo: [{ tick: 0, bpm: 120, shape: "hold" }], meter: [{ bar: 1, numerator: 4, denominator: 4 }] },
    ...{ leadIn: 0, from: 0, songRate: RATE, silence: { frames: 0 }, rate: RATE, frames: 20 * RATE, markers: [] },
    ...over,
  }) as unknown as Delivery;

test("bars stand where they are in the files, whatever silence leads and wherever the files begin", () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 40, max: 240 }),
      fc.integer({ min: 0, max: 8 }),
      fc.integer({ min: 0, max: 3 * RATE }),
      fc.constantFrom(44100, 48000, 96000),
      (bpm, bars, silence, rate) => {
        const barS = 240 / bpm;
        const from = Math.round(bars * barS * RATE);
        const made = barsOf(
          delivery({
            tempo: [{ tick: 0, bpm, shape: "hold" }],
            from,
            rate,
            silence: { frames: silence },
            frames: 20 * rate,
          } as never),
        );
        const silenceS = silence / rate;
        for (const { bar, atS } of made.lines) {
          expect(Math.abs(atS - silenceS - ((bar - 1) * barS - from / RATE))).toBeLessThan(1e-3);
          expect(atS).toBeGreaterThanOrEqual(silenceS - 1e-5);
          expect(atS).toBeLessThanOrEqual(20);
        }
        // As many as there is room for, and no bar left out.
        made.lines.slice(1).forEach((l, i) => expect(l.bar).toBe(made.lines[i]!.bar + 1));
        if (silenceS > 0.01) expect(made.positionAt(silenceS / 2)).toBe("in front");
        const [first] = made.lines;
        if (first) expect(made.positionAt(first.atS + 0.01)).toMatch(new RegExp(`^${first.bar}\\.`));
      },
    ),
  );
});

test("markers go along with the files, and a lead-in of silent bars has lines of its own", () => {
  const made = barsOf(delivery({ markers: [{ name: "Chorus", tick: 3840 }], from: RATE } as never));
  expect(made.marks).toEqual([{ name: "Chorus", atS: 1 }]);
});
