import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { tempoPoints } from "../testing/random-tempo";
import { formatClock } from "./clock";
import { formatPosition, meterMap } from "./meter";
import { tempoMap } from "./tempo";

describe("tempo map", () => {
  test("every tick of every legal map comes back from frames", () => {
    fc.assert(
      fc.property(
        tempoPoints,
        fc.constantFrom(44100, 48000, 96000),
        fc.array(fc.integer({ min: 0, max: 200000 }), { minLength: 20, maxLength: 20 }),
        (points, rate, ticks) => {
          const map = tempoMap(points, rate);
          for (const tick of ticks) expect(map.toTicks(map.toFrames(tick))).toBe(tick);
        },
      ),
      { numRuns: 300, seed: 11 },
    );
  });

  test("time never runs backwards", () => {
    fc.assert(
      fc.property(tempoPoints, fc.nat(100000), fc.nat(5000), (points, tick, more) => {
        const map = tempoMap(points, 48000);
        expect(map.toSeconds(tick + more)).toBeGreaterThanOrEqual(map.toSeconds(tick));
      }),
    );
  });

  test("at 120 bpm a quarter note is half a second", () => {
    expect(tempoMap([{ tick: 0, bpm: 120, shape: "hold" }], 48000).toFrames(960)).toBe(24000);
  });

  // The integral of 60 / (960 bpm(t)) from 60 to 120 bpm over four quarters: 4 s * ln 2.
  test("a ramp is integrated exactly", () => {
    const map = tempoMap(
      [
        { tick: 0, bpm: 60, shape: "ramp" },
        { tick: 3840, bpm: 120, shape: "hold" },
      ],
      48000,
    );
    expect(map.toSeconds(3840)).toBeCloseTo(4 * Math.LN2, 12);
    expect(map.bpmAt(1920)).toBe(90);
    expect(map.toSeconds(4800)).toBeCloseTo(4 * Math.LN2 + 0.5, 12);
  });
});

describe("meter map", () => {
  const meter = meterMap([
    { bar: 1, numerator: 4, denominator: 4 },
    { bar: 3, numerator: 5, denominator: 4 },
    { bar: 4, numerator: 6, denominator: 8 },
  ]);

  test("bars add up over changes of meter", () => {
    expect([1, 2, 3, 4, 5].map((b) => meter.barToTick(b))).toEqual([0, 3840, 7680, 12480, 15360]);
  });

  test("a lead-in stands in front of bar 1, and everything after moves with it", () => {
    const plain = meterMap([
      { bar: 1, numerator: 4, denominator: 4 },
      { bar: 3, numerator: 5, denominator: 4 },
    ]);
    const led = meterMap(
      [
        { bar: 1, numerator: 4, denominator: 4 },
        { bar: 3, numerator: 5, denominator: 4 },
      ],
      1920,
    );
    for (const bar of [1, 2, 3, 4, 9]) expect(led.barToTick(bar)).toBe(plain.barToTick(bar) + 1920);
    expect(led.position(1920)).toEqual({ bar: 1, beat: 1, tick: 0 });
    expect(led.position(0)).toEqual({ bar: 0, beat: 3, tick: 0 });
  });

  test("positions are the inverse of bars, beat by beat", () => {
    expect(meter.position(7680 + 4 * 960 + 17)).toEqual({ bar: 3, beat: 5, tick: 17 });
    expect(meter.position(12480 + 480)).toEqual({ bar: 4, beat: 2, tick: 0 });
    expect(formatPosition({ bar: 17, beat: 3, tick: 40 })).toBe("17.3.040");
    expect(meter.beatTicks(12480)).toBe(480);
  });
});

test("a clock reads minutes, seconds and milliseconds", () => {
  expect(formatClock(134.5)).toBe("2:14.500");
  expect(formatClock(59.9996)).toBe("1:00.000");
});
