import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { noise } from "../testing/listen";
import type { Heard } from "../testing/listen";
import { magnitudeAt } from "../testing/process";
import { gainToDb } from "../math";
import { offsetFrames } from "./correlation";
import { LoudnessMeter } from "./loudness";
import { Meter } from "./measure";
import { PEAK_FRAMES } from "./peaks";
import { Resampler, resampledFrames } from "./resample";
import { TruePeakMeter } from "./true-peak";

const RATE = 48000;
const db = (x: number) => 20 * Math.log10(x);

/** A 1 kHz stereo tone in parts of (dBFS, seconds), phase running on. EBU Tech 3341, table 1. */
function tone(parts: readonly (readonly [level: number, seconds: number])[], hz = 1000): Heard {
  const frames = parts.reduce((sum, [, s]) => sum + Math.round(s * RATE), 0);
  const left = new Float32Array(frames);
  let at = 0;
  for (const [level, seconds] of parts) {
    const end = at + Math.round(seconds * RATE);
    for (; at < end; at++) left[at] = 10 ** (level / 20) * Math.sin((2 * Math.PI * hz * at) / RATE);
  }
  return { left, right: left };
}

function loudness({ left, right }: Heard): LoudnessMeter {
  const meter = new LoudnessMeter(RATE);
  for (let at = 0; at < left.length; at += 5000) meter.push(left, right, at, Math.min(5000, left.length - at));
  return meter;
}

describe("loudness: EBU Tech 3341 and 3342", () => {
  test.each([
    ["case 1", [[-23, 20]], -23],
    ["case 2", [[-33, 20]], -33],
    [
      "case 3",
      [
        [-36, 10],
        [-23, 60],
        [-36, 10],
      ],
      -23,
    ],
    [
      "case 4",
      [
        [-72, 10],
        [-36, 10],
        [-23, 60],
        [-36, 10],
        [-72, 10],
      ],
      -23,
    ],
    [
      "case 5",
      [
        [-26, 20],
        [-20, 20.1],
        [-26, 20],
      ],
      -23,
    ],
  ] as const)("%s: integrated within 0.1 LU", (_name, parts, wanted) => {
    expect(Math.abs(loudness(tone(parts)).integrated()! - wanted)).toBeLessThanOrEqual(0.1);
  });

  test.each([
    [
      "case 1",
      [
        [-20, 20],
        [-30, 20],
      ],
      10,
    ],
    [
      "case 2",
      [
        [-20, 20],
        [-15, 20],
      ],
      5,
    ],
    [
      "case 3",
      [
        [-40, 20],
        [-20, 20],
      ],
      20,
    ],
    [
      "case 4",
      [
        [-50, 20],
        [-35, 20],
        [-20, 20],
        [-35, 20],
        [-50, 20],
      ],
      15,
    ],
  ] as const)("3342 %s: range within 1 LU", (_name, parts, wanted) => {
    expect(Math.abs(loudness(tone(parts)).range()! - wanted)).toBeLessThanOrEqual(1);
  });

  test("silence has no loudness", () => {
    const quiet = { left: new Float32Array(RATE * 5), right: new Float32Array(RATE * 5) };
    expect(loudness(quiet).integrated()).toBeNull();
    expect(loudness(quiet).range()).toBeNull();
  });
});

describe("true peak", () => {
  // A sine at a quarter of the rate, 45 degrees off the sampling points, shows samples 3 dB under its peak.
  test.each([
    [RATE / 4, 45],
    [RATE / 6, 60],
    [RATE / 8, 67.5],
    [RATE / 3, 30],
  ])("a sine of %d Hz in its worst phase reads 0 dB within 0.2", (hz, degrees) => {
    const x = Float32Array.from(
      { length: 9600 },
      (_, i) =>
        Math.min(1, i / 2000, (9600 - i) / 2000) * Math.sin((2 * Math.PI * hz * i) / RATE + (degrees * Math.PI) / 180),
    );
    const meter = new TruePeakMeter();
    for (let at = 0; at < x.length; at += 333) meter.push(x, at, Math.min(333, x.length - at));
    meter.finish();
    expect(Math.abs(db(meter.peak))).toBeLessThan(0.2);
  });
});

describe("measures", () => {
  test("first and last sound, clipping, mono and a loud end are what they are", () => {
    const left = new Float32Array(20000);
    left.fill(0.5, 4000, 12000);
    left[6000] = left[6001] = left[6002] = 1;
    const right = left.slice();
    const meter = new Meter(RATE);
    for (let at = 0; at < left.length; at += 700) meter.push(left, right, at, Math.min(700, left.length - at));
    const m = meter.finish();
    expect([m.firstSound, m.lastSound, m.clippedRuns, m.mono, m.endDb]).toEqual([4000, 11999, 1, true, null]);
    expect(m.peakDb).toBe(0);
  });

  test("the true peak of two channels is that of the louder one by itself, wherever each is loud and however the audio is cut", () => {
    const levels = fc.array(
      fc.tuple(
        fc.integer({ min: 1, max: 6000 }),
        fc.constantFrom(0, 0.01, 0.3, 0.5, 0.9),
        fc.constantFrom(0, 0.01, 0.3, 0.5, 0.9),
      ),
      { minLength: 1, maxLength: 8 },
    );
    fc.assert(
      fc.property(levels, fc.integer({ min: 1, max: 5000 }), fc.integer(), (stretches, block, seed) => {
        const frames = stretches.reduce((sum, [n]) => sum + n, 0);
        const { left, right } = noise(frames, seed, 1);
        let at = 0;
        for (const [n, l, r] of stretches) {
          for (let i = at; i < at + n; i++) {
            left[i]! *= l;
            right[i]! *= r;
          }
          at += n;
        }
        const meter = new Meter(RATE);
        for (let i = 0; i < frames; i += block) meter.push(left, right, i, Math.min(block, frames - i));
        const alone = [left, right].map((x) => {
          const one = new TruePeakMeter();
          one.push(x, 0, frames);
          one.finish();
          return one.peak;
        });
        const loudest = Math.max(...alone);
        expect(meter.finish().truePeakDb).toBe(loudest === 0 ? null : gainToDb(loudest));
      }),
      { numRuns: 60 },
    );
  });

  test("one different bit is stereo, a file that stops while sounding ends loud", () => {
    const left = noise(9600, 1).left;
    const right = left.slice();
    right[4000] = right[4000]! + 2 ** -24;
    const meter = new Meter(RATE);
    meter.push(left, right, 0, left.length);
    const m = meter.finish();
    expect(m.mono).toBe(false);
    expect(m.endDb).toBeGreaterThan(-20);
  });

  test("an overview holds the extremes of every span, whatever the blocks", () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 3000 }), fc.integer({ min: 1, max: 700 }), (frames, block) => {
        const { left, right } = noise(frames, frames, 0.9);
        const meter = new Meter(RATE);
        for (let at = 0; at < frames; at += block) meter.push(left, right, at, Math.min(block, frames - at));
        meter.finish();
        const pairs = new Int8Array(meter.overview().buffer);
        expect(pairs.length).toBe(2 * Math.ceil(frames / PEAK_FRAMES));
        for (let k = 0; k < pairs.length / 2; k++) {
          const part = [
            ...left.subarray(k * PEAK_FRAMES, (k + 1) * PEAK_FRAMES),
            ...right.subarray(k * PEAK_FRAMES, (k + 1) * PEAK_FRAMES),
          ];
          expect(pairs[2 * k + 1]! / 127).toBeGreaterThanOrEqual(Math.max(0, ...part) - 1e-6);
          expect(pairs[2 * k]! / 127).toBeLessThanOrEqual(Math.min(0, ...part) + 1e-6);
          expect(pairs[2 * k + 1]! / 127).toBeLessThan(Math.max(0, ...part) + 1 / 64);
        }
      }),
      { numRuns: 40 },
    );
  });
});

describe("offset by correlation", () => {
  test("finds by how many frames one is late, either way, and 0 for the same", () => {
    const { left } = noise(6000, 3);
    const at = (shift: number) => {
      const x = new Float32Array(8192);
      x.set(left, 1000 + shift);
      return x;
    };
    for (const shift of [0, 1, -1, 37, -400]) expect(offsetFrames(at(shift), at(0))).toBe(shift);
    expect(offsetFrames(new Float32Array(8192), at(0))).toBeNull();
  });
});

describe("converter", () => {
  const convert = (input: Float32Array, from: number, to: number, block = 997): Float32Array => {
    const out = new Float32Array(resampledFrames(input.length, from, to));
    let at = 0;
    const r = new Resampler(from, to, (left, _right, offset, count) => {
      out.set(left.subarray(offset, offset + count), at);
      at += count;
    });
    for (let i = 0; i < input.length; i += block) r.push(input, input, i, Math.min(block, input.length - i));
    r.finish();
    expect(at).toBe(out.length);
    return out;
  };
  const pairs = [
    [44100, 48000],
    [48000, 44100],
    [48000, 96000],
    [96000, 48000],
    [44100, 96000],
    [96000, 44100],
  ] as const;

  test.each(pairs)("%d to %d: an impulse stays where it was, to the frame", (from, to) => {
    const input = new Float32Array(from / 2);
    const at = from / 4;
    input[at] = 1;
    const out = convert(input, from, to);
    const peak = out.reduce((best, v, i) => (Math.abs(v) > Math.abs(out[best]!) ? i : best), 0);
    expect(peak).toBe((at * to) / from);
  });

  test.each(pairs)("%d to %d: flat within 0.01 dB to 20 kHz", (from, to) => {
    for (const hz of [50, 1000, 10000, 15000, 19000, 20000]) {
      const input = Float32Array.from({ length: from }, (_, i) => Math.sin((2 * Math.PI * hz * i) / from));
      const out = convert(input, from, to);
      const middle = out.subarray(to / 4, (3 * to) / 4);
      expect(Math.abs(db((2 * magnitudeAt(middle, hz, to)) / middle.length))).toBeLessThan(0.01);
    }
  });

  test.each([
    [48000, 44100, 23000],
    [96000, 48000, 25000],
    [96000, 44100, 30000],
    [96000, 48000, 47000],
  ])("%d to %d: %d Hz, which the lower rate cannot hold, is gone by 120 dB", (from, to, hz) => {
    const input = Float32Array.from({ length: from }, (_, i) => Math.sin((2 * Math.PI * hz * i) / from));
    const out = convert(input, from, to).subarray(to / 4, (3 * to) / 4);
    expect(db(Math.max(...out.map(Math.abs)))).toBeLessThan(-120);
  });

  test.each([
    [44100, 48000, 19000],
    [48000, 96000, 20000],
    [44100, 96000, 15000],
  ])("%d to %d: the images of %d Hz are under it by 120 dB", (from, to, hz) => {
    const input = Float32Array.from({ length: from }, (_, i) => Math.sin((2 * Math.PI * hz * i) / from));
    // A long window: its side lobes are far below what is looked for.
    const out = convert(input, from, to).subarray(to / 4, to / 4 + 32768);
    const window = out.map((v, i) => {
      const x = (2 * Math.PI * i) / 32768;
      return (
        v *
        (0.2710514 -
          0.4332979 * Math.cos(x) +
          0.218123 * Math.cos(2 * x) -
          0.0659254 * Math.cos(3 * x) +
          0.0108117 * Math.cos(4 * x) -
          0.0007768 * Math.cos(5 * x) +
          0.0000139 * Math.cos(6 * x))
      );
    });
    const tone = magnitudeAt(window, hz, to);
    for (const image of [from - hz, from + hz, 2 * from - hz]) {
      if (image < to / 2) expect(db(magnitudeAt(window, image, to) / tone)).toBeLessThan(-120);
    }
  });

  test("how the input is cut up changes nothing", () => {
    const input = noise(12000, 8).left;
    expect(convert(input, 44100, 48000, 64)).toEqual(convert(input, 44100, 48000, 4096));
  });
});

test("what is measured of a trimmed file is what any meter says of the frames that are kept", () => {
  fc.assert(
    fc.property(fc.integer({ min: 20_000, max: 90_000 }), fc.integer({ min: 1, max: 70_000 }), (kept, more) => {
      const left = Float32Array.from({ length: kept + more }, (_, i) => (i < kept ? 0.3 * Math.sin(i * 0.13) : 0));
      const whole = new Meter(48000);
      whole.push(left, left, 0, kept + more);
      const trimmed = new Meter(48000);
      trimmed.push(left, left, 0, kept);
      const { lufs, rangeLu, maxMomentaryLufs, maxShortTermLufs, frames } = whole.finish(2, kept);
      expect({ lufs, rangeLu, maxMomentaryLufs, maxShortTermLufs, frames }).toEqual(
        (({ lufs, rangeLu, maxMomentaryLufs, maxShortTermLufs, frames }) => ({
          lufs,
          rangeLu,
          maxMomentaryLufs,
          maxShortTermLufs,
          frames,
        }))(trimmed.finish()),
      );
    }),
    { numRuns: 20 },
  );
});

test("a meter that takes over what another has measured ends with the same measures and the same overview", () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 300_000 }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      fc.nat(9),
      (n, part, seed) => {
        const { left, right } = noise(n, seed, seed > 7 ? 1.6 : 0.4);
        // Silence in it, and both sides the same in some.
        left.fill(0, Math.floor(n * 0.3), Math.floor(n * 0.5));
        right.set(seed % 3 === 0 ? left : right);
        const at = Math.floor(n * part);
        const whole = new Meter(48000);
        whole.push(left, right, 0, n);
        const first = new Meter(48000);
        first.push(left, right, 0, at);
        const second = new Meter(48000);
        second.push(right, left, 0, Math.min(n, 7000));
        second.load(first.save());
        second.push(left, right, at, n - at);
        expect([second.finish(), second.overview()]).toEqual([whole.finish(), whole.overview()]);
      },
    ),
    { numRuns: 25 },
  );
});
