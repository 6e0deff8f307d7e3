import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { magnitudeAt, impulse, sine, through } from "../testing/process";
import { noise, peakDb } from "../testing/listen";
import { magnitude } from "./biquad";
import { compressionDb } from "../kernels/reference";
import { completeParams } from "./device";
import { eqSections, eq } from "./eq";

const db = (x: number) => 20 * Math.log10(x);
const silence = (frames: number) => ({ left: new Float32Array(frames), right: new Float32Array(frames) });

describe("EQ", () => {
  const settings = {
    cut: 1,
    cutHz: 80,
    lowHz: 200,
    lowDb: 5,
    bell1Hz: 900,
    bell1Db: -7,
    bell1Q: 2,
    bell2Hz: 4000,
    bell2Db: 3,
    bell2Q: 0.7,
    highHz: 9000,
    highDb: -4,
  };

  test("its response is the product of its sections on the unit circle", () => {
    const response = through("eq", settings, impulse(48000)).left;
    const sections = eqSections(completeParams(eq, settings), 48000);
    for (const hz of [30, 80, 200, 500, 900, 2000, 4000, 9000, 16000]) {
      const wanted = sections.reduce((m, k) => m * magnitude(k, hz, 48000), 1);
      expect(Math.abs(db(magnitudeAt(response, hz)) - db(wanted))).toBeLessThan(0.01);
    }
  });

  test("a bell reaches its gain at its frequency and leaves the far ends alone", () => {
    const response = through("eq", { bell1Hz: 1000, bell1Db: 12, bell1Q: 1 }, impulse(48000)).left;
    expect(db(magnitudeAt(response, 1000))).toBeCloseTo(12, 2);
    expect(Math.abs(db(magnitudeAt(response, 20)))).toBeLessThan(0.05);
  });

  test("all bands at 0 dB pass the signal bit for bit", () => {
    const input = noise(2048, 4);
    expect(through("eq", {}, input).left).toEqual(input.left);
  });
});

describe("compressor", () => {
  // Giannoulis, Massberg, Reiss 2012: over the knee, gain change is (1/R - 1)(x - T).
  test("steady sines come out on the static curve", () => {
    for (const level of [-40, -24, -12, -6]) {
      const out = through(
        "compressor",
        { thresholdDb: -20, ratio: 4, kneeDb: 0, attackMs: 0.1, releaseMs: 2000 },
        sine(997, 96000, 10 ** (level / 20)),
      );
      const peak = db(out.left.subarray(-4800).reduce((m, v) => Math.max(m, Math.abs(v)), 0));
      expect(Math.abs(peak - (level + Math.min(0, (1 / 4 - 1) * (level + 20))))).toBeLessThan(0.35);
    }
  });

  test("the knee meets both straight lines", () => {
    expect(compressionDb(-23, -20, 4, 6)).toBe(0);
    expect(compressionDb(-17, -20, 4, 6)).toBeCloseTo(-2.25, 12);
    expect(compressionDb(-20, -20, 4, 6)).toBeCloseTo((-0.75 * 9) / 12, 12);
  });

  test("a key ducks a signal that would not duck itself", () => {
    const quiet = sine(440, 24000, 0.05);
    const ducked = through("compressor", { thresholdDb: -20, ratio: 10, attackMs: 1 }, quiet, {
      key: sine(100, 24064, 0.8),
    });
    expect(peakDb({ left: ducked.left.slice(12000), right: ducked.right.slice(12000) })).toBeLessThan(
      peakDb(quiet) - 10,
    );
    expect(through("compressor", { thresholdDb: -20, ratio: 10 }, quiet).left.subarray(0, 24000)).toEqual(quiet.left);
  });
});

describe("limiter", () => {
  test("never passes its ceiling, whatever comes", () => {
    fc.assert(
      fc.property(
        fc.double({ min: -20, max: 0, noNaN: true }),
        fc.double({ min: 0.5, max: 10, noNaN: true }),
        fc.nat(1000),
        (ceilingDb, lookaheadMs, seed) => {
          const out = through("limiter", { ceilingDb, lookaheadMs }, noise(9600, seed, 4));
          expect(peakDb(out)).toBeLessThanOrEqual(ceilingDb + 1e-4);
        },
      ),
      { numRuns: 30, seed: 8 },
    );
  });

  test("below its ceiling it only delays, bit for bit", () => {
    const input = noise(4800, 2, 0.2);
    const out = through("limiter", { ceilingDb: -1, lookaheadMs: 2 }, input);
    expect(out.left.subarray(96, 4800)).toEqual(input.left.subarray(0, 4704));
  });
});

describe("reverb", () => {
  test("decays by 60 dB in the time it says, within a tenth", () => {
    for (const decayS of [0.8, 2.4]) {
      // Noise below the damping, which shortens the decay of what lies above it by design.
      const input = silence(48000 * 5);
      const burst = through(
        "eq",
        { highHz: 1000, highDb: -18, bell2Hz: 3000, bell2Db: -18, bell2Q: 0.3 },
        noise(24000, 3),
      ).left;
      input.left.set(burst.subarray(0, 24000));
      input.right.set(burst.subarray(0, 24000));
      const out = through("reverb", { decayS, dampHz: 18000, preMs: 0 }, input).left;
      const energy = (s: number) => out.subarray(s * 48000, (s + 0.1) * 48000).reduce((sum, v) => sum + v * v, 0);
      const [from, to] = [0.7, 0.7 + decayS / 2];
      const fall = 10 * Math.log10(energy(from) / energy(to));
      expect(Math.abs(fall - 30)).toBeLessThan(3);
    }
  });
});

describe("instruments", () => {
  test("the synth plays in tune: the strongest partial is the note", () => {
    const out = through(
      "synth",
      { unison: 1, detune: 0, sub: 0, vibrato: 0, cutoffHz: 16000, drive: 0, oversample: 2 },
      silence(48000),
      { notes: [{ start: 0, frames: 48000, pitch: 69, velocity: 100 }] },
    ).left;
    const part = out.subarray(24000);
    const at = magnitudeAt(part, 440);
    for (const hz of [415.3, 466.2, 220, 660]) expect(magnitudeAt(part, hz)).toBeLessThan(at / 10);
  });

  test("oversampling keeps what folds back 60 dB under the note", () => {
    const out = through(
      "synth",
      { unison: 1, detune: 0, sub: 0, vibrato: 0, sweep: 0, cutoffHz: 16000, drive: 0, oversample: 4 },
      silence(96000),
      { notes: [{ start: 0, frames: 96000, pitch: 100, velocity: 100 }] },
    ).left;
    const hz = 440 * 2 ** ((100 - 69) / 12);
    const part = out.subarray(48000);
    const window = part.map((v, i) => v * (0.5 - 0.5 * Math.cos((2 * Math.PI * i) / part.length)));
    const note = magnitudeAt(window, hz);
    // Between the partials there is nothing but what has folded back.
    for (const ratio of [0.5, 1.5, 2.5, 3.5, 4.5]) expect(db(magnitudeAt(window, hz * ratio) / note)).toBeLessThan(-60);
  });

  test("a struck bar rings at its pitch and its first overtone where the bar's shape puts it", () => {
    const notes = [{ start: 0, frames: 1, pitch: 69, velocity: 120 }];
    const uniform = through("bars", { tuned: 0, hardness: 90, decayS: 3 }, silence(48000), { notes }).left;
    expect(magnitudeAt(uniform, 440)).toBeGreaterThan(8 * magnitudeAt(uniform, 500));
    // Fletcher & Rossing 2.57: a free bar's second mode at 2.756 times the first; cut to 4 when tuned.
    expect(magnitudeAt(uniform, 440 * 2.756)).toBeGreaterThan(8 * magnitudeAt(uniform, 440 * 4));
    const tuned = through("bars", { tuned: 100, hardness: 90, decayS: 3 }, silence(48000), { notes }).left;
    expect(magnitudeAt(tuned, 440 * 4)).toBeGreaterThan(8 * magnitudeAt(tuned, 440 * 2.756));
  });
});
