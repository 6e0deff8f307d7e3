import fc from "fast-check";
import { describe, expect, test } from "vitest";
import type { Reshape } from "../session/clips";
import { randomBipolar } from "../random";
import { hashOf, joined, memoryLibrary, type Heard } from "../testing/listen";
import { Splice, attacksOf, mirrored } from "./attacks";
import { reshapeAudio } from "./reshape";
import { makeStretcher } from "./stretcher";

const RATE = 48000;
const MS = RATE / 1000;

async function reshaped(audio: Heard, change: Partial<Reshape>): Promise<Float32Array> {
  const parts: Float32Array[] = [];
  reshapeAudio(
    memoryLibrary({ [hashOf(1)]: audio })(hashOf(1)),
    {
      ...{ asset: hashOf(1), reverse: false, stretch: 1, transposeCents: 0, timeMarks: [], pitchLine: [] },
      ...change,
    },
    await makeStretcher(RATE),
    (l, _, offset, n) => parts.push(l.slice(offset, offset + n)),
  );
  return joined(parts);
}

/** Hits of three kinds in turn: a kick, a snare, a closed hat; each strikes within a millisecond. */
function hits(frames: number, places: readonly number[], kinds: readonly number[]): Heard {
  const left = new Float32Array(frames);
  places.forEach((place, j) => {
    const kind = kinds[j % kinds.length]!;
    for (let i = 0; i < 14400 && place + i < frames; i++) {
      const noise = randomBipolar(j, i);
      const t = i / RATE;
      const sound =
        kind === 0
          ? Math.sin(2 * Math.PI * (50 * t + 3 * (1 - Math.exp(-i / 1500)))) * Math.exp(-i / 5000)
          : kind === 1
            ? (0.7 * noise + 0.4 * Math.sin(2 * Math.PI * 180 * t)) * Math.exp(-i / 2500)
            : 0.5 * noise * Math.exp(-i / 800);
      left[place + i] = left[place + i]! + 0.7 * Math.min(1, i / MS) * sound;
    }
  });
  return { left, right: left.slice() };
}

/**
 * Where a hit rises, in ms: from a tenth to seven tenths of its loudest 2 ms (by power, so that one loud grain of noise
 * does not count), and when the tenth is reached after `at`.
 */
function riseMs(x: Float32Array, at: number): { readonly takes: number; readonly begins: number } {
  const width = 2 * MS;
  const from = Math.max(0, Math.round(at - 40 * MS));
  const loudness: number[] = [];
  for (let i = from; i < Math.min(x.length - width, at + 25 * MS); i += 4) {
    let sum = 0;
    for (let k = 0; k < width; k++) sum += x[i + k]! ** 2;
    loudness.push(Math.sqrt(sum / width));
  }
  const top = loudness.reduce((a, b) => Math.max(a, b));
  const low = loudness.findIndex((v) => v > 0.1 * top);
  const high = loudness.findIndex((v) => v > 0.7 * top);
  return { takes: ((high - low) * 4) / MS, begins: (from + low * 4 + width - at) / MS };
}

describe("attacks", () => {
  const places = [12000, 36000, 60500, 84000, 108100];

  test.each([0.5, 0.6, 0.8, 1.1, 1.5, 2, 3, 4])(
    "by %f: as sharp as they were, and none heard early",
    async (stretch) => {
      const source = hits(144000, places, [0, 1, 2]);
      const out = await reshaped(source, { stretch });
      expect(out.length).toBe(Math.round(144000 * stretch));
      for (const place of places) {
        const [before, after] = [riseMs(source.left, place), riseMs(out, Math.round(place * stretch))];
        expect([place, Math.max(1.5, after.takes - before.takes)]).toEqual([place, 1.5]);
        // Found half a millisecond behind its very beginning, which the stretch makes longer, too.
        expect([place, Math.abs(after.begins - before.begins) < Math.max(1, 0.6 * stretch)]).toEqual([place, true]);
      }
    },
  );

  test.each([-1200, -300, 500, 1200])("by %i cents: as sharp as the interval lets them be", async (transposeCents) => {
    const source = hits(144000, places, [0, 0, 2]);
    const out = await reshaped(source, { transposeCents });
    const slower = 2 ** (-transposeCents / 1200);
    for (const place of places) {
      const [before, after] = [riseMs(source.left, place), riseMs(out, place)];
      expect([place, after.takes - before.takes * Math.max(1, slower) < 1.5]).toEqual([place, true]);
      expect([place, Math.abs(after.begins) < 3]).toEqual([place, true]);
    }
  });

  test("is the recording itself at each hit, and goes over into what is stretched without a dip", async () => {
    const N = 144000;
    const left = new Float32Array(N);
    for (const place of [24000, 84000])
      for (let i = 0; i + place < N; i++)
        left[place + i] =
          left[place + i]! +
          0.4 * Math.min(1, i / 96) * Math.exp(-i / 20000) * Math.sin((2 * Math.PI * 440 * i) / RATE);
    for (const stretch of [0.7, 1.5, 2]) {
      const out = await reshaped({ left, right: left.slice() }, { stretch });
      // It is placed by where it is found, which may be some frames behind where it begins.
      const place = Math.round(24000 * stretch);
      const off = (shift: number) =>
        Math.max(...Array.from({ length: 7 * MS }, (_, i) => Math.abs(out[place + shift + i]! - left[24000 + i]!)));
      const shifts = Array.from({ length: 2 * MS }, (_, k) => k - MS);
      expect(Math.min(...shifts.map(off))).toBeLessThan(1e-6);
      const level = (x: Float32Array, at: number) => {
        let [re, im] = [0, 0];
        for (let i = -5 * MS; i < 5 * MS; i++) {
          re += x[at + i]! * Math.cos((2 * Math.PI * 440 * i) / RATE);
          im += x[at + i]! * Math.sin((2 * Math.PI * 440 * i) / RATE);
        }
        return 20 * Math.log10(Math.hypot(re, im));
      };
      for (let ms = 8; ms < 60; ms += 2) {
        // Its loudness falls by a fiftieth of a dB a ms of the recording, wherever in it this is.
        const there = ms < 29 ? ms : 29 + (ms - 29) / stretch;
        const differs = level(out, Math.round(24000 * stretch) + ms * MS) - level(left, 24000 + Math.round(there * MS));
        expect([stretch, ms, Math.abs(differs) < 1.5]).toEqual([stretch, ms, true]);
      }
    }
  });

  test("are kept where there is room for them, in order, inside the audio and the result", () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 95000 }), { maxLength: 12 }),
        fc.double({ min: 0.25, max: 4, noNaN: true }),
        (where, stretch) => {
          const audio = hits(
            96000,
            where.sort((a, b) => a - b),
            [0, 1, 2],
          );
          const read = (from: number, n: number, l: Float32Array, r: Float32Array) => {
            l.set(audio.left.subarray(from, from + n));
            r.set(audio.right.subarray(from, from + n));
          };
          const total = Math.round(96000 * stretch);
          const found = attacksOf(96000, total, RATE, read, (s) => s * stretch);
          found.forEach((a, k) => {
            expect(a.source >= 0 && a.source + a.frames <= 96000 && a.to >= 0 && a.to + a.frames <= total).toBe(true);
            const last = found[k - 1];
            if (last) expect(Math.min(a.to - last.to, a.source - last.source)).toBeGreaterThan(a.frames);
          });
        },
      ),
      { numRuns: 60 },
    );
  });
});

test("what lies beyond is what is inside, folded back", () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 9 }),
      fc.integer({ min: 0, max: 5 }),
      fc.integer({ min: -40, max: 40 }),
      fc.integer({ min: 1, max: 40 }),
      (span, from, first, count) => {
        const read = (at: number, n: number, l: Float32Array) => {
          expect(at >= from && at + n <= from + span).toBe(true);
          for (let i = 0; i < n; i++) l[i] = at + i;
        };
        const left = new Float32Array(count);
        mirrored(read, from, from + span)(first, count, left, new Float32Array(count));
        left.forEach((v, i) => {
          const at = (((first + i - from) % (2 * span)) + 2 * span) % (2 * span);
          expect(v).toBe(from + (at < span ? at : 2 * span - 1 - at));
        });
      },
    ),
  );
});

test("pieces that overlap become one, given in any parts", () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 1, max: 30 }), { minLength: 1, maxLength: 8 }), (parts) => {
      const out: number[] = [];
      const splice = new Splice(8, (l, _, offset, n) => out.push(...l.subarray(offset, offset + n)));
      const pieces = [40, 25, 33];
      pieces.forEach((frames, p) => {
        const sink = splice.piece(frames, p === 2 ? 0 : 8, "alike");
        for (let at = 0, k = 0; at < frames; k++) {
          const n = Math.min(parts[k % parts.length]!, frames - at);
          sink(new Float32Array(n).fill(1), new Float32Array(n).fill(1), 0, n);
          at += n;
        }
      });
      expect(out.length).toBe(40 + 25 + 33 - 16);
      for (const v of out) expect(v).toBeCloseTo(1, 6);
    }),
  );
});
