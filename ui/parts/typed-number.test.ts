import fc from "fast-check";
import { expect, test } from "vitest";
import type { Unit } from "./typed-number";
import { STEPS, typedNumber } from "./typed-number";

test("numbers are taken with the units that people type", () => {
  const cases: readonly (readonly [string, Unit, number | null])[] = [
    ["-6 dB", "dB", -6],
    ["−6", "dB", -6],
    ["+1,5dB", "dB", 1.5],
    ["-inf", "dB", -144],
    ["off", "dB", -144],
    ["1.5 s", "ms", 1500],
    ["250 ms", "s", 0.25],
    ["1:30", "s", 90],
    ["1:02:03.5", "s", 3723.5],
    ["0:01.5", "ms", 1500],
    ["2 beats", "ms", 1000],
    ["1 beat", "s", 0.5],
    ["2.4 kHz", "Hz", 2400],
    ["3 semitones", "cents", 300],
    ["150%", "%", 150],
    ["120 bpm", "bpm", 120],
    ["4 beats", "beats", 4],
    ["12", "none", 12],
    ["", "dB", null],
    ["loud", "dB", null],
    ["3 Hz", "dB", null],
    ["1:30", "dB", null],
    ["1e999", "none", null],
  ];
  for (const [text, unit, wanted] of cases) expect([text, typedNumber(text, unit, 0.5)]).toEqual([text, wanted]);
  expect(typedNumber("2 beats", "s")).toBeNull();
});

test("every plain number is itself in every unit, and nothing that is typed throws", () => {
  const units = fc.constantFrom(...(Object.keys(STEPS) as Unit[]));
  fc.assert(
    fc.property(fc.double({ noNaN: true, noDefaultInfinity: true, min: -1e6, max: 1e6 }), units, (value, unit) => {
      expect(typedNumber(String(value), unit)).toBe(value);
    }),
  );
  fc.assert(
    fc.property(fc.string(), units, (text, unit) => {
      const value = typedNumber(text, unit, 0.5);
      expect(value === null || Number.isFinite(value)).toBe(true);
    }),
  );
});
