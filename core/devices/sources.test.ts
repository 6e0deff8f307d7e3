/** Long because every instrument is held to the formula it was made from, with the same set-up. */

import { describe, expect, test } from "vitest";
import { TruePeakMeter } from "../analysis/true-peak";
import { Arena } from "../kernels/arena";
import { hashOf, memoryLibrary, noise, peakDb } from "../testing/listen";
import { impulse, magnitudeAt, sine, spectrumDb, through } from "../testing/process";
import { declarationOf } from "./catalogue";
import { compressor } from "./compressor";
import type { LoadedLayer, PlayedNote } from "./device";
import { completeParams } from "./device";
import { FIRST_PAD_NOTE } from "./kit";
import { ping } from "./outboard";
import { shape } from "./saturator";
import { Fft } from "../kernels/fft";

/** Each device against the formula it was made from. */
const RATE = 48000;
const db = (x: number) => 20 * Math.log10(x);
const silence = (frames: number) => ({ left: new Float32Array(frames), right: new Float32Array(frames) });
const note = (pitch: number, frames = 48000, velocity = 127): readonly PlayedNote[] => [
  { start: 0, frames, pitch, velocity },
];
const held = (audio: { left: Float32Array; right: Float32Array }, more: Partial<LoadedLayer> = {}): LoadedLayer => ({
  pad: 0,
  asset: hashOf(audio.left.length),
  audio: memoryLibrary({ [hashOf(1)]: audio })(hashOf(1)),
  step: 1,
  gain: 1,
  softest: 1,
  loudest: 127,
  ...more,
});
/** Frequency of the strongest partial near `around`, in hertz, by a parabola through the spectrum. */
function pitchOf(x: Float32Array, around: number): number {
  const part = x.subarray(0, 32768);
  const spectrum = spectrumDb(part);
  const bin = RATE / part.length;
  let best = Math.round((around * 0.94) / bin);
  for (let k = best; k <= (around * 1.06) / bin; k++) if (spectrum[k]! > spectrum[best]!) best = k;
  const [a, b, c] = [spectrum[best - 1]!, spectrum[best]!, spectrum[best + 1]!];
  return (best + (0.5 * (a - c)) / (a - 2 * b + c)) * bin;
}
const cents = (a: number, b: number) => 1200 * Math.log2(a / b);

describe("filter", () => {
  // The trapezoidal rule maps w to tan(w T / 2): the analogue response at the warped frequency. Zavalishin, 3.8 and 4.
  test.each([
    [0, "low"],
    [1, "band"],
    [2, "high"],
  ])("shape %i is the analogue %s pass at warped frequencies", (kind) => {
    const [cutoffHz, resonance] = [1500, 60];
    const k = 2 - 1.96 * (resonance / 100);
    const response = through("filter", { shape: kind, cutoffHz, resonance }, impulse(48000)).left;
    for (const hz of [100, 700, 1500, 3000, 9000, 18000]) {
      const w = Math.tan((Math.PI * hz) / RATE) / Math.tan((Math.PI * cutoffHz) / RATE);
      const bottom = Math.hypot(1 - w * w, k * w);
      const wanted = (kind === 0 ? 1 : kind === 1 ? k * w : w * w) / bottom;
      expect(Math.abs(db(magnitudeAt(response, hz) / wanted))).toBeLessThan(0.02);
    }
  });
});

describe("gate", () => {
  test("opens above its threshold, holds, and closes to exact silence", () => {
    const input = silence(96000);
    input.left.set(sine(500, 24000, 0.2).left);
    input.left.set(sine(500, 72000, 0.0005).left, 24000);
    const out = through("gate", { thresholdDb: -40, holdMs: 100, releaseMs: 20, lookaheadMs: 0 }, input).left;
    expect(db(out.subarray(4800, 24000).reduce((m, v) => Math.max(m, Math.abs(v)), 0))).toBeCloseTo(db(0.2), 2);
    // Held 100 ms: what is quiet still passes there, and is gone half a second later.
    expect(out.subarray(24500, 28000).some((v) => Math.abs(v) > 0.0004)).toBe(true);
    expect(out.subarray(60000, 72000).every((v) => v === 0)).toBe(true);
  });

  test("opens for its key, not for itself", () => {
    const loud = sine(300, 24064, 0.5);
    expect(peakDb(through("gate", { thresholdDb: -30 }, loud, { key: silence(24064) }))).toBeLessThan(-100);
    expect(peakDb(through("gate", { thresholdDb: -30 }, loud, { key: noise(24064, 2) }))).toBeGreaterThan(-7);
  });
});

describe("dynamics on a share", () => {
  test("a compressor led by the whole's gives shares that add up to the whole", () => {
    const parts = [noise(4096, 1, 0.6), noise(4096, 7, 0.4)];
    const whole = {
      left: parts[0]!.left.map((v, i) => v + parts[1]!.left[i]!),
      right: parts[0]!.right.map((v, i) => v + parts[1]!.right[i]!),
    };
    const [sum, ...shares] = Arena.for((arena) => {
      const make = (leader: ReturnType<typeof compressor.create> | null) =>
        compressor.create({
          rate: RATE,
          arena,
          maxFrames: 4096,
          controls: {
            params: { thresholdDb: -30, ratio: 8, kneeDb: 6, attackMs: 1, releaseMs: 50, lookaheadMs: 2, makeupDb: 4 },
            moving: false,
            loose: false,
            to: () => undefined,
          },
          tempo: {
            toSeconds: Number,
            toFrames: Number,
            toTicks: Number,
            placeOf: Number,
            bpmAt: () => 120,
            slowest: 120,
          },
          layers: [],
          instrument: null,
          leader,
          pass: null,
          seed: 1,
          notes: [],
        });
      const leader = make(null);
      return [leader, make(leader), make(leader)].map((processor, i) => ({
        processor,
        left: arena.float32(4096),
        right: arena.float32(4096),
        audio: i === 0 ? whole : parts[i - 1]!,
      }));
    }).map(({ processor, left, right, audio }) => {
      left.set(audio.left);
      right.set(audio.right);
      processor.process(left, right, 4096, 0, null);
      return left;
    });
    const worst = sum!.reduce((m, v, i) => Math.max(m, Math.abs(v - shares[0]![i]! - shares[1]![i]!)), 0);
    expect(db(worst)).toBeLessThan(-125);
    expect(db(Math.max(...sum!.subarray(1000)) / Math.max(...whole.left))).toBeLessThan(-6);
  });
});

describe("limiter that minds the peaks between samples", () => {
  test("holds true peaks at its ceiling, where samples alone would pass it", () => {
    // A sine at a quarter of the rate, sampled between its crests: 3 dB hide between the samples.
    const input = {
      left: Float32Array.from(
        { length: 48000 },
        (_, i) => 0.99 * Math.min(1, i / 2000) * Math.sin((Math.PI / 2) * i + Math.PI / 4),
      ),
      right: new Float32Array(48000),
    };
    const truePeak = (x: Float32Array) => {
      const meter = new TruePeakMeter();
      meter.push(x, 0, x.length);
      meter.finish();
      return db(meter.peak);
    };
    expect(truePeak(input.left)).toBeGreaterThan(-0.3);
    expect(truePeak(through("limiter", { ceilingDb: -1, truePeak: 0 }, input).left)).toBeGreaterThan(-0.6);
    expect(truePeak(through("limiter", { ceilingDb: -1, truePeak: 1 }, input).left)).toBeLessThan(-0.9);
  });

  /**
   * Largest magnitude on a grid of eight points a frame, each the windowed sinc of 256 frames around it; the edges of
   * the signal are left out.
   */
  const eightfoldPeak = (x: Float32Array): number => {
    const half = 128;
    const rows = Array.from({ length: 8 }, (_, p) =>
      Float64Array.from({ length: 2 * half }, (_, k) => {
        const t = k - (half - 1) - p / 8;
        return (t === 0 ? 1 : Math.sin(Math.PI * t) / (Math.PI * t)) * (0.5 + 0.5 * Math.cos((Math.PI * t) / half));
      }),
    );
    let peak = 0;
    for (let i = 1000; i + 2 * half < x.length - 1000; i++)
      for (const row of rows)
        peak = Math.max(peak, Math.abs(row.reduce((sum, h, k) => sum + h * (x[i + k] as number), 0)));
    return db(peak);
  };
  const white = noise(12000, 3, 1).left;
  const sineAt = (turns: number) =>
    Float32Array.from(
      { length: 12000 },
      (_, i) => 1.4 * Math.min(1, i / 800) * Math.sin(2 * Math.PI * turns * i + 0.3),
    );
  const softened = (x: Float32Array) => x.map((v, i) => (v + (x[i - 1] ?? 0)) / 2);
  test.each([
    ["noise without the highest tones", softened(softened(white)).map((v) => 3 * v)],
    ["noise up to half the rate", white.map((v) => 2 * v)],
    ["noise that was clipped hard", white.map((v) => Math.max(-1, Math.min(1, 20 * v)))],
    ["a tone at 0.41 of the rate", sineAt(0.41)],
    ["a tone at 0.4531 of the rate", sineAt(0.4531)],
    ["a square wave", white.map((_, i) => (Math.floor(i / 37) % 2 ? 1 : -1))],
  ])("%s stays within 0.1 dB of its ceiling, seen eight times as finely, whatever lookahead and release", (_, x) => {
    for (const [lookaheadMs, releaseMs] of [
      [0.5, 5],
      [2, 80],
    ] as const) {
      expect(
        eightfoldPeak(
          through("limiter", { ceilingDb: -1, truePeak: 1, lookaheadMs, releaseMs }, { left: x, right: x }).left,
        ),
      ).toBeLessThanOrEqual(-0.9);
    }
  });

  test("what stays under the ceiling between the frames too is let through as it is", () => {
    const quiet = { left: sineAt(0.03).map((v) => v * 0.5), right: new Float32Array(12000) };
    const d = declarationOf("limiter")!;
    const late = d.latency(completeParams(d, { ceilingDb: -1, truePeak: 1 }), 48000);
    const out = through("limiter", { ceilingDb: -1, truePeak: 1 }, quiet).left;
    expect(out.subarray(late, 11000)).toEqual(quiet.left.subarray(0, 11000 - late));
  });
});

describe("saturator", () => {
  test("follows its curve on slow signals", () => {
    for (const level of [0.05, 0.2, 0.6]) {
      const out = through("saturator", { driveDb: 12, even: 0, outputDb: 0 }, sine(50, 48000, level)).left;
      const peak = out.subarray(24000).reduce((m, v) => Math.max(m, Math.abs(v)), 0);
      expect(Math.abs(peak - shape(10 ** (12 / 20) * level))).toBeLessThan(0.003);
    }
  });

  test("what folds back of a driven high tone lies 70 dB under it", () => {
    const bin = 3501;
    const out = spectrumDb(
      through("saturator", { driveDb: 12, even: 0 }, sine((bin * RATE) / 32768, 65536, 0.5)).left.subarray(
        16384,
        49152,
      ),
    );
    const tone = out[bin]!;
    // The tone and its third harmonic belong in the band; the fifth lies beyond half the rate.
    const elsewhere = out.reduce(
      (m, v, k) => (Math.abs(k - bin) > 12 && Math.abs(k - 3 * bin) > 12 && k > 4 && k < 14700 ? Math.max(m, v) : m),
      -200,
    );
    expect(elsewhere - tone).toBeLessThan(-70);
  });
});

describe("echo", () => {
  test("repeats in time with the tempo, each by the feedback, crossing over", () => {
    // Three quarters of a beat at 120 bpm are 18000 frames.
    const out = through(
      "delay",
      { beats: 0.75, feedback: 50, cross: 100, wet: 100, dampHz: 18000 },
      { left: impulse(96000).left, right: new Float32Array(96000) },
    );
    const sum = (x: Float32Array, at: number) => x.subarray(at - 8, at + 64).reduce((s, v) => s + v, 0);
    expect(sum(out.left, 18000)).toBeCloseTo(1, 3);
    expect(sum(out.right, 36000)).toBeCloseTo(0.5, 3);
    expect(sum(out.left, 54000)).toBeCloseTo(0.25, 3);
    expect(Math.abs(sum(out.right, 18000))).toBeLessThan(1e-9);
  });
});

describe("tremolo and chorus", () => {
  test("a tremolo's gain is a sine between one and one less its depth, from the timeline's zero", () => {
    const ones = { left: new Float32Array(48000).fill(1), right: new Float32Array(48000).fill(1) };
    const out = through("tremolo", { rateHz: 4, depth: 60, apart: 100 }, ones);
    for (let i = 0; i < 48000; i += 997) {
      expect(out.left[i]!).toBeCloseTo(1 - 0.6 * (0.5 + 0.5 * Math.sin((2 * Math.PI * 4 * i) / RATE)), 5);
      expect(out.right[i]!).toBeCloseTo(1 - 0.6 * (0.5 - 0.5 * Math.sin((2 * Math.PI * 4 * i) / RATE)), 5);
    }
  });

  test("a chorus that does not swing is two copies of 12 ms", () => {
    const out = through("chorus", { depthMs: 0, wet: 100 }, impulse(4096)).left;
    expect(out[576]).toBeCloseTo(1.2, 5);
    expect(out.reduce((s, v) => s + Math.abs(v), 0)).toBeCloseTo(1.2, 4);
  });
});

describe("convolution", () => {
  test("with audio of its own it is the plain sum of products", () => {
    const response = noise(1700, 5, 0.3);
    const input = noise(6144, 9, 0.3);
    const out = through("convolution", { wet: 100 }, input, { layers: [held(response)] });
    for (const n of [0, 511, 512, 1699, 4000, 5200]) {
      let left = 0;
      for (let k = 0; k < 1700; k++) left += response.left[k]! * (input.left[n - k] ?? 0);
      expect(out.left[n + 512]).toBeCloseTo(left, 5);
    }
  });

  test("the transform there and back is the identity, and a tone is one line", () => {
    const fft = new Fft(256);
    const re = Float64Array.from({ length: 256 }, (_, i) => Math.cos((2 * Math.PI * 5 * i) / 256));
    const im = new Float64Array(256);
    const before = re.slice();
    fft.forward(re, im);
    expect(re[5]).toBeCloseTo(128, 9);
    expect(Math.abs(re[6]!)).toBeLessThan(1e-10);
    fft.inverse(re, im);
    for (let i = 0; i < 256; i++) expect(re[i]! / 256).toBeCloseTo(before[i]!, 12);
  });
});

describe("pitch", () => {
  const voice = (hz: number) => {
    const left = Float32Array.from({ length: 96000 }, (_, i) =>
      [1, 0.5, 0.3, 0.15].reduce((s, a, k) => s + 0.2 * a * Math.sin((2 * Math.PI * hz * (k + 1) * i) / RATE), 0),
    );
    return { left, right: left.slice() };
  };

  test("at no shift it passes its input, only later", () => {
    const input = noise(9600, 3);
    const out = through("pitch", {}, input);
    for (let i = 2048; i < 6000; i += 37) expect(out.left[i + 2560]).toBeCloseTo(input.left[i]!, 6);
  });

  test.each([-5, 3, 7])("shifts a voice by %i semitones within 5 cents", (semitones) => {
    const out = through("pitch", { semitones }, voice(220)).left.subarray(24000);
    expect(Math.abs(cents(pitchOf(out, 220 * 2 ** (semitones / 12)), 220 * 2 ** (semitones / 12)))).toBeLessThan(5);
  });

  test("draws a voice that is off to the nearest note of the scale", () => {
    const off = 220 * 2 ** (0.38 / 12);
    const out = through("pitch", { correct: 100 }, voice(off)).left.subarray(24000);
    expect(Math.abs(cents(pitchOf(out, 220), 220))).toBeLessThan(6);
    // In F major there is no G sharp: it goes to the nearer of G and A.
    const sharp = through("pitch", { correct: 100, root: 5, scale: 1 }, voice(207.65 * 2 ** (0.2 / 12))).left.subarray(
      24000,
    );
    expect(Math.abs(cents(pitchOf(sharp, 220), 220))).toBeLessThan(8);
  });
});

describe("outboard", () => {
  const params = { driveDb: 0, hissDb: -90, cableMs: 7.3 };

  test("a ping finds its round trip, and with it what comes back stands where it was", () => {
    const pingFrames = ping(params, RATE, 4);
    expect(pingFrames).toBe(Math.round(7.3 * 48) + 37);
    const out = through("outboard", { ...params, pingFrames }, impulse(2048), { pass: 1 }).left;
    expect(out.reduce((best, v, i) => (Math.abs(v) > Math.abs(out[best]!) ? i : best), 0)).toBe(pingFrames);
  });

  test("every pass hisses differently; the same pass is the same", () => {
    const [a, again, other] = [1, 1, 2].map((pass) => through("outboard", params, noise(2048, 3), { pass }).left);
    expect(a).toEqual(again);
    expect(a).not.toEqual(other);
  });
});

describe("FM", () => {
  test("partials stand at carrier and multiples of the modulator, by Bessel's functions of the index", () => {
    const out = through(
      "fm",
      { ratio: 2, index: 1.5, keep: 100, sustain: 100, feedback: 0, spread: 0, attackS: 0.002 },
      silence(96000),
      { notes: note(57, 96000) },
    ).left.subarray(48000, 80768);
    const line = (hz: number) =>
      magnitudeAt(
        out.map((v, i) => v * (0.5 - 0.5 * Math.cos((2 * Math.PI * i) / out.length))),
        hz,
      );
    // Chowning 1973: amplitude of carrier + n modulators is J_n(index); with a ratio of two the lower ones fold onto
    // the upper, with the signs of J_-n and of a sine turned round.
    const bessel = (n: number, x: number) =>
      Array.from({ length: 2000 }, (_, k) =>
        Math.cos((n * ((k + 0.5) * Math.PI)) / 2000 - x * Math.sin(((k + 0.5) * Math.PI) / 2000)),
      ).reduce((s, v) => s + v, 0) / 2000;
    const first = Math.abs(bessel(0, 1.5) + bessel(1, 1.5)),
      third = Math.abs(bessel(1, 1.5) - bessel(2, 1.5)),
      fifth = Math.abs(bessel(2, 1.5) + bessel(3, 1.5));
    expect(line(660) / line(220)).toBeCloseTo(third / first, 1);
    expect(line(1100) / line(220)).toBeCloseTo(fifth / first, 1);
  });
});

describe("string", () => {
  test.each([40, 57, 69, 81])("note %i is in tune within 3 cents", (pitch) => {
    const hz = 440 * 2 ** ((pitch - 69) / 12);
    const out = through("string", { decayS: 6, muteS: 4 }, silence(48000), { notes: note(pitch) }).left.subarray(4800);
    expect(Math.abs(cents(pitchOf(out, hz), hz))).toBeLessThan(3);
  });

  test("rings down by 60 dB in about the time it says", () => {
    const out = through("string", { decayS: 2, brightness: 95 }, silence(120000), { notes: note(57, 120000) }).left;
    const level = (s: number) => db(magnitudeAt(out.subarray(s * RATE, (s + 0.25) * RATE), 220));
    expect(Math.abs(level(0.25) - level(1.25) - 30)).toBeLessThan(4);
  });
});

describe("kit and sampler", () => {
  const hit = noise(4000, 3, 0.5);
  const strike = (pad: number, velocity: number, start = 100): PlayedNote => ({
    start,
    frames: 10,
    pitch: FIRST_PAD_NOTE + pad,
    velocity,
  });

  test("a pad plays its audio sample for sample from where it is struck", () => {
    const out = through("kit", { level: 100, touch: 0 }, silence(9600), {
      notes: [strike(3, 90)],
      layers: [held(hit, { pad: 3 }), held(noise(4000, 9), { pad: 4 })],
    });
    expect(out.left.subarray(100, 4100)).toEqual(hit.left);
    expect(out.left.subarray(4100).every((v) => v === 0)).toBe(true);
  });

  test("velocity chooses layers, and all that it lies in sound together", () => {
    const layers = [held(hit, { pad: 0, loudest: 80 }), held(hit, { pad: 0, softest: 60, gain: 0.5 })];
    const at = (velocity: number) =>
      through("kit", { level: 100, touch: 0 }, silence(4800), { notes: [strike(0, velocity, 0)], layers }).left[50]! /
      hit.left[50]!;
    expect([at(40), at(70), at(120)].map((v) => Math.round(v * 1000) / 1000)).toEqual([1, 1.5, 0.5]);
  });

  test("a recording an octave up is an octave up and half as long; what lies above half the rate is not folded back", () => {
    const tone = sine(1000, 24000, 0.5);
    const up = through("sampler", { root: 60, touch: 0, level: 100, spread: 0, releaseS: 8 }, silence(48000), {
      notes: note(72),
      layers: [held(tone)],
    }).left;
    expect(magnitudeAt(up.subarray(1000, 9000), 2000)).toBeGreaterThan(
      100 * magnitudeAt(up.subarray(1000, 9000), 1000),
    );
    expect(up.subarray(12020).every((v) => v === 0)).toBe(true);
    const high = through("sampler", { root: 60, touch: 0, level: 100, spread: 0 }, silence(48000), {
      notes: note(72),
      layers: [held(sine(18000, 48000, 0.5))],
    }).left;
    expect(db(high.subarray(1000, 20000).reduce((m, v) => Math.max(m, Math.abs(v)), 0))).toBeLessThan(-60);
  });

  test("at its own note a recording passes as it is", () => {
    const out = through("sampler", { root: 64, touch: 0, level: 100, spread: 0, attackS: 0.001 }, silence(9600), {
      notes: note(64),
      layers: [held(hit)],
    }).left;
    for (let i = 100; i < 4000; i += 31) expect(out[i]).toBeCloseTo(hit.left[i]!, 6);
  });
});
