import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { besselI0, cos, dbToGain, exp, gainToDb, log, pow, sin, tan } from "./math";

/** The engine's own functions are within an ulp or two of the truth, so they judge ours to that accuracy. */
const near = (ours: number, theirs: number, relative = 4e-15) =>
  expect(Math.abs(ours - theirs)).toBeLessThanOrEqual(Math.abs(theirs) * relative + 1e-300);

describe("elementary functions", () => {
  test("exp and log agree with the engine's to the last bits", () => {
    fc.assert(
      fc.property(fc.double({ min: -700, max: 700, noNaN: true }), (x) => {
        near(exp(x), Math.exp(x), 1e-14);
      }),
    );
    fc.assert(
      fc.property(fc.double({ min: 1e-300, max: 1e300, noNaN: true }), (x) => {
        expect(Math.abs(log(x) - Math.log(x))).toBeLessThan(1e-14 * Math.max(1, Math.abs(Math.log(x))));
      }),
    );
  });

  test("sine, cosine and tangent agree over a million radians", () => {
    fc.assert(
      fc.property(fc.double({ min: -1e6, max: 1e6, noNaN: true }), (x) => {
        expect(Math.abs(sin(x) - Math.sin(x))).toBeLessThan(1e-14);
        expect(Math.abs(cos(x) - Math.cos(x))).toBeLessThan(1e-14);
      }),
    );
    fc.assert(
      fc.property(fc.double({ min: -1.5, max: 1.5, noNaN: true }), (x) => {
        near(tan(x), Math.tan(x), 1e-14);
      }),
    );
  });

  test("powers, decibels and the edges", () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.01, max: 100, noNaN: true }),
        fc.double({ min: -8, max: 8, noNaN: true }),
        (b, e) => {
          near(pow(b, e), Math.pow(b, e), 2e-14);
        },
      ),
    );
    expect(dbToGain(0)).toBe(1);
    expect(dbToGain(-144)).toBe(0);
    expect(gainToDb(0)).toBe(-Infinity);
    expect(log(0)).toBe(-Infinity);
    expect(log(-1)).toBeNaN();
    expect(exp(800)).toBe(Infinity);
    expect(exp(-800)).toBe(0);
  });

  test("a gain goes to decibels and back", () => {
    fc.assert(
      fc.property(fc.double({ min: -140, max: 24, noNaN: true }), (db) => {
        expect(gainToDb(dbToGain(db))).toBeCloseTo(db, 11);
      }),
    );
  });

  // Abramowitz & Stegun, table 9.8.
  test("Bessel I0 matches the published table", () => {
    near(besselI0(1), 1.2660658777520084, 1e-14);
    near(besselI0(5), 27.239871823604442, 1e-14);
  });
});
