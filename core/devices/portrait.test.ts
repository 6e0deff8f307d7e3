import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { catalogue } from "./catalogue";
import { compressionDb } from "../kernels/reference";
import { hasPortrait, portraitOf } from "./portrait";

const RATE = 48000;
const TEMPO = [{ tick: 0, bpm: 120, shape: "hold" as const }];

describe("portraits are of the device itself", () => {
  test("an EQ at rest is flat, a bell stands where it is set, as high as it is set", () => {
    const flat = portraitOf("eq", {}, RATE, TEMPO);
    if (flat?.kind !== "response") throw new Error("no response");
    for (const db of flat.db) expect(Math.abs(db)).toBeLessThan(0.05);
    const bell = catalogue.find((d) => d.type === "eq")!.params.map((p) => p.id);
    expect(bell).toContain("bell1Db");
    fc.assert(
      fc.property(fc.integer({ min: -12, max: 12 }), (gain) => {
        const made = portraitOf("eq", { bell1Db: gain, bell1Hz: 1000 }, RATE, TEMPO);
        if (made?.kind !== "response") throw new Error("no response");
        const at = made.hz.findIndex((f) => f >= 1000);
        expect(made.db[at]).toBeCloseTo(gain, 0);
      }),
      { numRuns: 12 },
    );
  });

  test("a compressor's line is its formula's", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -40, max: -6 }),
        fc.integer({ min: 1, max: 20 }),
        fc.integer({ min: 0, max: 24 }),
        (thresholdDb, ratio, kneeDb) => {
          const made = portraitOf(
            "compressor",
            { thresholdDb, ratio, kneeDb, attackMs: 1, releaseMs: 200 },
            RATE,
            TEMPO,
          );
          if (made?.kind !== "transfer") throw new Error("no transfer");
          made.inDb.forEach((level, i) =>
            expect(Math.abs(made.outDb[i]! - level - compressionDb(level, thresholdDb, ratio, kneeDb))).toBeLessThan(
              0.6,
            ),
          );
        },
      ),
      { numRuns: 10 },
    );
  });

  test("a reverb falls by sixty decibels in about the time it is set to", () => {
    for (const decayS of [0.6, 2]) {
      const made = portraitOf("reverb", { decayS, wet: 100 }, RATE, TEMPO);
      if (made?.kind !== "decay") throw new Error("no decay");
      const at = (s: number) => made.db[Math.round(s / made.stepS)]!;
      expect(at(decayS * 0.2) - at(decayS * 0.7)).toBeGreaterThan(20);
      expect(at(decayS * 0.2) - at(decayS * 0.7)).toBeLessThan(42);
    }
  });

  test("every device that has a portrait has one at any legal setting, of finite numbers", () => {
    const drawn = catalogue.filter((d) => hasPortrait(d.type));
    expect(drawn.length).toBeGreaterThan(6);
    fc.assert(
      fc.property(
        fc.constantFrom(...drawn),
        fc.array(fc.integer({ min: 0, max: 100 }), { minLength: 24, maxLength: 24 }),
        (declaration, parts) => {
          const params = Object.fromEntries(
            declaration.params.map((p, i) => {
              const value = p.min + ((p.max - p.min) * (parts[i] ?? 0)) / 100;
              return [p.id, p.taper === "steps" || p.taper === "switch" ? Math.round(value) : value];
            }),
          );
          const made = portraitOf(declaration.type, params, RATE, TEMPO)!;
          const values = made.kind === "transfer" ? made.outDb : made.db;
          for (const v of values) expect(Number.isFinite(v)).toBe(true);
        },
      ),
      { numRuns: 25 },
    );
    expect(portraitOf("utility", {}, RATE, TEMPO)).toBeNull();
  });
});
