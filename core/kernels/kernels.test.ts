/** Long because every kernel is held to its twin here, one after the other, in the same few lines each. */

import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { compileKernels, readKernels } from "../../scripts/build-kernels";
import { dbToGain } from "../math";
import { noise } from "../testing/listen";
import { BUFFER_FLOATS, edgeBytes } from "../devices/edges";
import { KernelMemory } from "./kernels";
import { randomUnit } from "../random";
import * as reference from "./reference";

const FRAMES = 512;
const bits = (x: Float32Array | Float64Array | Uint8Array) => Buffer.from(x.buffer, x.byteOffset, x.byteLength);
const same = (a: Float32Array | Float64Array | Uint8Array, b: Float32Array | Float64Array | Uint8Array) =>
  expect(bits(a).equals(bits(b))).toBe(true);

/** Kernel memory with two channels of audio in it, and the same audio outside. */
function setUp(seed: number, level = 0.9) {
  const memory = new KernelMemory(1 << 17);
  const { left, right } = noise(FRAMES, seed, level);
  const [l, r] = [memory.float32(FRAMES), memory.float32(FRAMES)];
  l.set(left);
  r.set(right);
  return { memory, run: memory.run, left, right, l, r };
}
const seeds = fc.nat(100000);
const HALF = reference.PEAK_TAPS / 2;
const worstGain = (rows: Float32Array) =>
  1.00001 * 2 * rows.slice(0, 3 * HALF).reduce((sum, h) => sum + Math.abs(h), 0);

test("the compiled kernels are made from the source beside them", async () => {
  expect(await compileKernels()).toBe(readKernels());
});

describe("each kernel gives its reference's bits", () => {
  test("biquad, over loud signals and over tails that fade into nothing", () => {
    fc.assert(
      fc.property(
        seeds,
        fc.double({ min: 0.01, max: 0.99, noNaN: true }),
        fc.constantFrom(0.9, 1e-25, 0),
        fc.boolean(),
        (seed, pole, level, flat) => {
          const { memory, run, left, right, l, r } = setUp(seed, level);
          const [k, z] = [memory.float64(5), memory.float64(4)];
          k.set([...(flat ? [1, -1.6 * pole, 0.8 * pole] : [0.3, 0.2, -0.1]), -1.6 * pole, 0.8 * pole]);
          z.set([1e-3, -1e-29, 1e-31, 1e-30]);
          const zOut = z.slice();
          for (let turn = 0; turn < 3; turn++) {
            run.biquad(l.address, r.address, FRAMES, k.address, z.address);
            reference.biquad(left, right, FRAMES, k.slice(), zOut);
          }
          same(l, left);
          same(r, right);
          same(z, zOut);
        },
      ),
      { numRuns: 60 },
    );
  });

  test("a filter that is swept or rests, over loud signals and over tails that fade into nothing", () => {
    fc.assert(
      fc.property(
        seeds,
        fc.constantFrom(0.9, 1e-25, 0),
        fc.constantFrom(0, 1, 2),
        fc.double({ min: 0.001, max: 12, noNaN: true }),
        fc.constantFrom(0, 1e-5, -3e-7),
        fc.double({ min: 0.04, max: 2, noNaN: true }),
        (seed, level, shape, coefficient, step, damping) => {
          const { memory, run, left, right, l, r } = setUp(seed, level);
          const z = memory.float64(4);
          z.set([1e-3, -1e-29, 1e-31, 1e-31]);
          const zOut = z.slice();
          const moves = [coefficient, coefficient * step, damping, damping * step, 0.7, step] as const;
          for (let turn = 0; turn < 3; turn++) {
            run.sweep(l.address, r.address, FRAMES, z.address, ...moves, shape);
            reference.sweep(left, right, FRAMES, zOut, ...moves, shape);
          }
          same(l, left);
          same(r, right);
          same(z, zOut);
        },
      ),
      { numRuns: 80 },
    );
  });

  test("width, steps and blends of signals, at rest and moving; copies", () => {
    fc.assert(
      fc.property(
        seeds,
        fc.double({ min: -4, max: 4, noNaN: true }),
        fc.constantFrom(0, 1e-3),
        fc.option(fc.constantFrom(NaN, Infinity)),
        fc.nat(FRAMES - 1),
        (seed, gain, step, poison, at) => {
          const { memory, run, left, right, l, r } = setUp(seed);
          if (poison !== null) l[at] = left[at] = poison;
          for (const n of [2, 64, FRAMES - 2, FRAMES])
            expect(run.longestStep(l.address, n)).toBe(reference.longestStep(left, n));
          const out = memory.float32(FRAMES);
          const blended = new Float32Array(FRAMES);
          run.blend(out.address, l.address, r.address, FRAMES, gain, step, 0.3, step / 3);
          reference.blend(blended, left, right, FRAMES, gain, step, 0.3, step / 3);
          same(out, blended);
          run.widen(l.address, r.address, FRAMES, gain, step, 0.4 - gain, -step);
          reference.widen(left, right, FRAMES, gain, step, 0.4 - gain, -step);
          same(l, left);
          same(r, right);
          run.move(l.address, l.address + 4 * 65, FRAMES - 68);
          left.copyWithin(0, 65, FRAMES - 3);
          same(l, left);
        },
      ),
      { numRuns: 80 },
    );
  });

  test("peak of a block, and NaN where a sample is none", () => {
    fc.assert(
      fc.property(
        seeds,
        fc.option(fc.constantFrom(NaN, Infinity, -Infinity)),
        fc.nat(FRAMES - 1),
        (seed, poison, at) => {
          const { run, left, right, l, r } = setUp(seed);
          if (poison !== null) l[at] = left[at] = poison;
          expect(run.blockPeak(l.address, r.address, FRAMES)).toBe(reference.blockPeak(left, right, FRAMES));
        },
      ),
    );
  });

  test("sums, and samples out of sums", () => {
    fc.assert(
      fc.property(seeds, fc.double({ min: -4, max: 4, noNaN: true }), (seed, gain) => {
        const { memory, run, left, right, l, r } = setUp(seed);
        const sum = memory.float64(FRAMES);
        const out = memory.float32(FRAMES);
        const expected = new Float64Array(FRAMES);
        run.addTo(sum.address, l.address, gain, 1, FRAMES);
        run.addTo(sum.address, r.address, -gain / 3, 0, FRAMES);
        reference.addTo(expected, left, gain, true, FRAMES);
        reference.addTo(expected, right, -gain / 3, false, FRAMES);
        expect([...sum].map((v) => v + 0)).toEqual([...expected].map((v) => v + 0));
        run.fromSum(out.address, sum.address, FRAMES);
        const samples = new Float32Array(FRAMES);
        reference.fromSum(samples, expected, FRAMES);
        same(out, samples);
        run.scale(out.address, l.address, gain, FRAMES);
        reference.scale(samples, left, gain, FRAMES);
        same(out, samples);
      }),
    );
  });

  test("holding samples back in a ring, in place too", () => {
    fc.assert(
      fc.property(seeds, fc.integer({ min: 1, max: 900 }), fc.nat(899), fc.boolean(), (seed, length, head, inPlace) => {
        const { memory, run, left, l } = setUp(seed);
        const ring = memory.float32(length);
        ring.set(noise(length, seed + 1).left);
        const expected = { ring: ring.slice(), out: new Float32Array(FRAMES) };
        const out = inPlace ? l : memory.float32(FRAMES);
        run.hold(out.address, l.address, FRAMES, ring.address, length, head % length);
        reference.hold(expected.out, left, FRAMES, expected.ring, head % length);
        same(out, expected.out);
        same(ring, expected.ring);
      }),
    );
  });

  test("a gain on its way through a quantum", () => {
    fc.assert(
      fc.property(
        seeds,
        fc.double({ min: 0, max: 4, noNaN: true }),
        fc.double({ min: -4, max: 4, noNaN: true }),
        fc.nat(15),
        (seed, from, change, place) => {
          const { memory, run, left, l } = setUp(seed);
          const out = memory.float32(64);
          const expected = new Float32Array(64);
          run.glide(out.address, l.address, 64 - 4 * place, from, change, 4 * place);
          reference.glide(expected, left, 64 - 4 * place, from, change, 4 * place);
          same(out, expected);
        },
      ),
    );
  });

  test("packing whole numbers, dithered or not, beyond full scale too, and unpacking them", () => {
    fc.assert(
      fc.property(
        seeds,
        fc.constantFrom(2 as const, 3 as const),
        fc.constantFrom(1, 2),
        fc.option(fc.nat(2 ** 31)),
        fc.oneof(fc.nat(2 ** 40), fc.constant(2 ** 31 - 100)),
        fc.constantFrom(0.5, 1.6),
        (seed, width, channels, dither, start, level) => {
          const { memory, run, left, right, l, r } = setUp(seed, level);
          const out = memory.bytes(FRAMES * 6 + 4);
          const frames = FRAMES - (seed % 2);
          const expected = new Uint8Array(frames * channels * width);
          const clipped = run.pack(
            out.address,
            l.address,
            r.address,
            frames,
            channels,
            width,
            dither === null ? 0 : 1,
            dither ?? 0,
            start,
          );
          expect(clipped).toBe(
            reference.pack(expected, channels === 1 ? [left] : [left, right], frames, width, dither, start),
          );
          same(out.subarray(0, expected.length), expected);
          if (width !== 3 || channels !== 2) return;
          run.unpack24(out.address, l.address, r.address, frames);
          reference.unpack24(expected, left, right, frames);
          same(l, left);
          same(r, right);
        },
      ),
      { numRuns: 60 },
    );
  });

  test("interpolated peaks and weighted energy", () => {
    fc.assert(
      fc.property(seeds, fc.integer({ min: 0, max: 120 }), (seed, percent) => {
        const { memory, run, left, right, l, r } = setUp(seed);
        const rows = memory.float32(3 * HALF);
        rows.set(noise(rows.length, seed + 7, 1).left);
        const n = FRAMES - reference.PEAK_TAPS;
        // With something known already, most of the points cannot matter and are left out.
        for (let i = 0; i < FRAMES; i++) if (i % 100 > 20) l[i] = left[i] = Math.fround((left[i] as number) * 0.05);
        const known = Math.fround((percent / 100) * reference.interpolatedPeak(left, n, rows.slice(), 0));
        expect(run.interpolatedPeak(l.address, n, rows.address, known, worstGain(rows))).toBe(
          reference.interpolatedPeak(left, n, rows.slice(), known),
        );
        const [k, z] = [memory.float64(7), memory.float64(12)];
        k.set([1.5, -2.6, 1.2, -1.69, 0.73, -1.99, 0.99]);
        const zOut = z.slice();
        expect(run.kWeightedEnergy(l.address, r.address, FRAMES, k.address, z.address)).toBe(
          reference.kWeightedEnergy(left, right, FRAMES, k.slice(), zOut),
        );
        same(z, zOut);
      }),
      { numRuns: 40 },
    );
  });
});

test("range and equality of two channels, for any length", () => {
  fc.assert(
    fc.property(seeds, fc.integer({ min: 1, max: FRAMES }), fc.nat(FRAMES - 1), (seed, n, at) => {
      const { memory, run, left, right, l, r } = setUp(seed);
      const out = memory.float32(2);
      run.range(l.address, r.address, n, out.address);
      expect([...out]).toEqual([...reference.range(left, right, n)]);
      const pieces = memory.float32(2 * Math.ceil(n / 100));
      run.ranges(l.address, r.address, n, 100, pieces.address);
      expect([...pieces]).toEqual(
        Array.from({ length: Math.ceil(n / 100) }, (_, k) => [
          ...reference.range(left.subarray(100 * k), right.subarray(100 * k), Math.min(100, n - 100 * k)),
        ]).flat(),
      );
      r.set(l);
      r[at] = -(l[at] as number);
      expect(run.equal(l.address, r.address, n) === 1).toBe(reference.equal(l.slice(), r.slice(), n));
      expect(run.equal(l.address, l.address, n)).toBe(1);
      const points = Math.min(n, FRAMES - reference.PEAK_TAPS);
      expect(run.interpolatedPeak(l.address, points, r.address, 0, worstGain(r))).toBe(
        reference.interpolatedPeak(l.slice(), points, r.slice(), 0),
      );
    }),
    { numRuns: 40 },
  );
});

test("memory never hands out more than it has", () => {
  const memory = new KernelMemory(100);
  expect(() => memory.float64(10000)).toThrow(RangeError);
});

/** What a voice of the synthesiser begins with, in the reference. */
const voiceOf = (oscillators: reference.SynthVoice["oscillators"], end = 0): reference.SynthVoice => ({
  oscillators,
  moving: Float64Array.from([0.4, 0.01, 0.7, 0.001, 0.2, 0.002, 0.04, 0.001, 0.45, -0.001]),
  states: Float64Array.from([0.1, -0.1, 0.02, 0.3]),
  line: new Float64Array(4),
  jumps: new Float64Array(2 * (128 + 2)),
  kinks: new Float64Array(2 * (128 + 2)),
  edges: [],
  began: new Float64Array(2),
  slope: new Float64Array(2),
  rise: new Float64Array(2),
  jumped: new Float64Array(2),
  kinked: new Float64Array(2),
  kinkedWhen: new Float64Array(2),
  buffer: new Float32Array(2 * (128 + 16)),
  rounding: new Float32Array(2 * (128 + 16)),
  sub: { step: 0, phase: 0, end, slope: 0 },
});

test("a synthesiser's voice, wherever its stretches are cut", () => {
  fc.assert(
    fc.property(
      seeds,
      fc.constantFrom(1, 5, 9),
      fc.integer({ min: 1, max: 128 }),
      fc.nat(128),
      fc.constantFrom(0, 0.4),
      fc.constantFrom(0, 0.003),
      fc.constantFrom(0, 0.3),
      (seed, count, steps, cutAt, pulse, pulseStep, sub) => {
        const memory = new KernelMemory(1 << 17);
        const random = (index: number) => randomUnit(seed, index);
        const cut = Math.min(cutAt, steps);
        const [l, r] = [memory.float32(128), memory.float32(128)];
        const at = memory.take(12 * count);
        const words = new Int32Array(memory.buffer, at, 3 * count),
          floats = new Float32Array(memory.buffer, at, 3 * count);
        const voice = memory.float64(26);
        const ratios = memory.float64(count);
        const edges = memory.take(edgeBytes(count));
        const buffer = memory.float32(BUFFER_FLOATS);
        const table = memory.float32(129 * 48);
        table.set(noise(129 * 48, seed + 5).left);
        const cycles = 0.001 + 0.4 * random(1000) ** 4;
        const oscillators = Array.from({ length: count }, (_, k) => {
          const o = {
            ratio: 0.9 + 0.2 * random(k),
            phase: Math.floor((random(100 + k) - 0.5) * 4294967295),
            left: Math.fround(random(200 + k)),
            right: Math.fround(random(300 + k)),
          };
          ratios[k] = o.ratio;
          words[3 * k] = o.phase;
          floats.set([o.left, o.right], 3 * k + 1);
          return o;
        });
        const twin = voiceOf(oscillators, 12345678);
        voice.set(twin.moving);
        voice.set(twin.states, 10);
        const subs = new Int32Array(memory.buffer, voice.address + 144, 3);
        subs[2] = twin.sub.end;
        const expected = { left: l.slice(), right: r.slice() };
        const play = (from: number, to: number) =>
          memory.run.synthVoice(
            l.address + 4 * from,
            r.address + 4 * from,
            to - from,
            from,
            voice.address,
            edges,
            buffer.address,
            table.address,
            sub,
            1,
          );
        for (let turn = 0; turn < 2; turn++) {
          const places = [ratios.address, cycles, voice.address, edges] as const;
          memory.run.synthLines(steps, count, at, ...places, pulse, pulseStep, Math.fround(sub));
          play(0, cut);
          play(cut, steps);
          reference.synthLines(steps, cycles, twin, pulse, pulseStep, Math.fround(sub));
          reference.synthVoice(expected.left, expected.right, steps, 0, twin, table, sub);
        }
        same(l, expected.left);
        same(r, expected.right);
        same(voice.slice(0, 10), twin.moving);
        same(voice.slice(10, 14), twin.states);
        same(voice.slice(14, 18), twin.line);
        same(buffer.subarray(0, 16), twin.buffer.subarray(0, 16));
        same(buffer.subarray(BUFFER_FLOATS / 2, BUFFER_FLOATS / 2 + 32), twin.rounding.subarray(0, 32));
        expect(oscillators.map((_, k) => words[3 * k])).toEqual(oscillators.map((o) => o.phase));
        expect([...subs]).toEqual([twin.sub.step, twin.sub.phase, twin.sub.end]);
      },
    ),
    { numRuns: 60 },
  );
});

test("a voice's line and jumps are its saws, exact at every step, also where the pulse moves", () => {
  fc.assert(
    fc.property(
      seeds,
      fc.integer({ min: 1, max: 7 }),
      fc.constantFrom(0, 0.7),
      fc.constantFrom(0, 0.002),
      fc.double({ min: 1e-4, max: 0.1, noNaN: true }),
      (seed, count, pulse, pulseStep, cycles) => {
        const STEPS = 100;
        const oscillators = Array.from({ length: count }, (_, k) => ({
          ratio: 0.9 + 0.2 * randomUnit(seed, k),
          phase: Math.floor((randomUnit(seed, 50 + k) - 0.5) * 4294967295),
          left: randomUnit(seed, 100 + k),
          right: 1 - randomUnit(seed, 100 + k),
        }));
        const saw = (place: number) => 2 * (((place % 1) + 1) % 1) - 1;
        const begun = oscillators.map((o) => ({
          ...o,
          step: Math.floor(cycles * o.ratio * 4294967296) / 4294967296,
          place: o.phase / 4294967296 + 0.5,
        }));
        const voice = voiceOf(oscillators);
        reference.synthLines(STEPS, cycles, voice, pulse, pulseStep, 0);
        const at = [voice.line[0]!, voice.line[1]!];
        for (let s = 0; s < STEPS; s++)
          for (const side of [0, 1]) {
            at[side] = at[side]! + voice.slope[side]! + voice.jumps[2 * s + side]!;
            voice.slope[side] = voice.slope[side]! + voice.rise[side]! + voice.kinks[2 * s + side]!;
            const wanted = begun.reduce((sum, o) => {
              const place = o.place + (s + 1) * o.step;
              const now = pulse + pulseStep * (s + 1);
              return sum + (side === 0 ? o.left : o.right) * (saw(place) - now * saw(place + 0.5));
            }, 0);
            expect(at[side]).toBeCloseTo(wanted, 6);
          }
        const jumps = voice.edges.flat().reduce((sum, e) => sum + e.jumps[0] + e.kinks[0] * e.beyond, 0);
        expect(jumps).toBeCloseTo(
          voice.jumps.reduce((sum, v, k) => sum + (k % 2 ? 0 : v), 0),
          6,
        );
      },
    ),
    { numRuns: 100 },
  );
});

test("taking samples out and putting them in between", () => {
  fc.assert(
    fc.property(seeds, fc.constantFrom(2, 4), fc.constantFrom(24, 132), (seed, over, taps) => {
      const { memory, run, left, l, r } = setUp(seed);
      const kernel = memory.float32(over * taps);
      kernel.set(noise(over * taps, seed + 9).left);
      const out = memory.float32(64 * over);
      const expected = out.slice();
      run.interpolate(out.address, l.address, 64, over, kernel.address, taps);
      reference.interpolate(expected, left, 64, over, kernel, taps);
      same(out, expected);
      const down = r.slice();
      run.decimate(r.address, l.address, 64, over, kernel.address, taps);
      reference.decimate(down, left, 64, over, kernel, taps);
      same(r, down);
    }),
    { numRuns: 40 },
  );
});

test("complex sums of products, saturation, resonators", () => {
  fc.assert(
    fc.property(seeds, fc.constantFrom(0.9, 1e-3), (seed, level) => {
      const { memory, run, left, right, l, r } = setUp(seed, level);
      const rows = Array.from({ length: 6 }, (_, k) => {
        const x = memory.float64(64);
        x.set(noise(64, seed + k).left);
        return x;
      });
      const copies = rows.map((x) => x.slice());
      const [a, b, c, d, e, g] = rows.map((x) => x.address) as [number, number, number, number, number, number];
      run.multiplyAdd(a, b, c, d, e, g, 64);
      reference.multiplyAdd(copies[0]!, copies[1]!, copies[2]!, copies[3]!, copies[4]!, copies[5]!, 64);
      same(rows[0]!, copies[0]!);
      same(rows[1]!, copies[1]!);

      run.drive(l.address, FRAMES, 3.7, 0.01, 0.1, -0.0001, 1);
      reference.drive(left, FRAMES, 3.7, 0.01, 0.1, -0.0001);
      same(l, left);
      // From far below to far above the curve's ends.
      const [fine, steps] = [memory.float32(FRAMES), memory.float32(FRAMES + 1)];
      left.forEach((v, i) => (steps[i] = 7 * v));
      const wanted = fine.slice();
      for (const points of [4, 16])
        expect(run.driveFine(fine.address, steps.address, FRAMES, points, 1.7, 0.001, 0.1, -0.0001, 0.3, 1)).toBe(
          reference.driveFine(wanted, steps.slice(), FRAMES, points, 1.7, 0.001, 0.1, -0.0001, Math.fround(0.3)),
        );
      same(fine, wanted);

      const modes = memory.float64(24);
      for (let m = 0; m < 6; m++) {
        modes[m] = 1.9 - 0.2 * m;
        modes[6 + m] = -0.97;
        modes[12 + m] = 0.1 * m;
        modes[18 + m] = 0.05;
      }
      const kept = modes.slice();
      run.resonate(l.address, r.address, FRAMES, modes.address, 0.7, 0.3);
      reference.resonate(left, right, FRAMES, kept, 0.7, 0.3);
      same(l, left);
      same(r, right);
      same(modes, kept);
    }),
    { numRuns: 30 },
  );
});

test("a recording read between its frames", () => {
  fc.assert(
    fc.property(
      seeds,
      fc.double({ min: 0.2, max: 4, noNaN: true }),
      fc.double({ min: 15, max: 90, noNaN: true }),
      (seed, step, position) => {
        const { memory, run, left, l } = setUp(seed);
        const table = memory.float32(257 * 32);
        table.set(noise(257 * 32, seed).left);
        const out = memory.float32(64);
        const expected = out.slice();
        run.readBetween(out.address, l.address, 64, position, step, 0, table.address, 256);
        reference.readBetween(expected, left, 64, position, step, 0, table, 256);
        same(out, expected);
      },
    ),
    { numRuns: 60 },
  );
});

test("a network of delay lines, while it sounds and after it has faded", () => {
  fc.assert(
    fc.property(seeds, fc.constantFrom(0.9, 1e-29, 0), fc.constantFrom(0, 1e-6), (seed, level, step) => {
      const { memory, run, left, right, l, r } = setUp(seed, level);
      const lengths = [11, 13, 17, 19, 23, 29, 31, 37];
      const [heads, starts, ends] = [memory.int32(8), memory.int32(8), memory.int32(8)];
      let sum = 0;
      lengths.forEach((n, k) => {
        heads[k] = starts[k] = sum;
        sum += n;
        ends[k] = sum;
      });
      const ring = memory.float64(sum),
        lines = memory.float64(24),
        out = memory.float64(8 * FRAMES);
      lines.fill(0.7, 0, 8).fill(step, 8, 16);
      const own = { ring: ring.slice(), lines: lines.slice(), out: out.slice(), heads: heads.slice() };
      for (let turn = 0; turn < 3; turn++) {
        const ours = run.feedbackNetwork(
          l.address,
          r.address,
          FRAMES,
          out.address,
          ring.address,
          heads.address,
          starts.address,
          ends.address,
          lines.address,
          0.4,
          step,
        );
        expect(ours).toBe(
          reference.feedbackNetwork(
            left,
            right,
            FRAMES,
            own.out,
            own.ring,
            own.heads,
            starts,
            ends,
            own.lines,
            0.4,
            step,
          ),
        );
        same(out, own.out);
        same(ring, own.ring);
        same(lines, own.lines);
        l.fill(0);
        r.fill(0);
        left.fill(0);
        right.fill(0);
      }
    }),
    { numRuns: 30 },
  );
});

describe("dynamics", () => {
  /** Levels that come and go: silence, near the threshold, far above it. */
  const swells = (left: Float32Array) => left.map((x, i) => x * [0, 0.002, 0.1, 1][(i >> 6) & 3]!);

  test("a compressor's gains, with a knee and without, make-up moving", () => {
    fc.assert(
      fc.property(
        seeds,
        fc.double({ min: -60, max: 0, noNaN: true }),
        fc.double({ min: 1, max: 20, noNaN: true }),
        fc.constantFrom(0, 6, 24),
        (seed, threshold, ratio, knee) => {
          const { memory, run, left, right, l, r } = setUp(seed, 1);
          l.set(swells(left));
          r.set(swells(right));
          const [gains, p] = [memory.float64(FRAMES), memory.float64(9)];
          const own: reference.Compressing = {
            threshold,
            ratio,
            knee,
            attack: 0.2,
            release: 0.003,
            makeUp: 1.5,
            makeUpStep: 1e-4,
            reduction: 0,
          };
          p.set([
            threshold,
            1 / ratio - 1,
            knee,
            own.attack,
            own.release,
            dbToGain(threshold - knee / 2),
            own.makeUp,
            own.makeUpStep,
            0,
          ]);
          const expected = new Float64Array(FRAMES);
          for (let turn = 0; turn < 2; turn++) {
            run.louder(gains.address, l.address, r.address, FRAMES);
            reference.louder(expected, l.slice(), r.slice(), FRAMES);
            same(gains, expected);
            run.compress(gains.address, FRAMES, p.address);
            reference.compress(expected, FRAMES, own);
            same(gains, expected);
            expect(p[8]).toBe(own.reduction);
          }
        },
      ),
      { numRuns: 60 },
    );
  });

  test("a limiter's gains, over any window", () => {
    fc.assert(
      fc.property(
        seeds,
        fc.constantFrom(2, 25, 97),
        fc.double({ min: 0.05, max: 1, noNaN: true }),
        (seed, window, ceiling) => {
          const { memory, run, left, right, l, r } = setUp(seed, 1);
          l.set(swells(left));
          r.set(swells(right));
          const [gains, p, counts] = [memory.float64(FRAMES), memory.float64(5), memory.int32(4)];
          const [candidates, stamps, held] = [
            memory.float64(window),
            memory.float64(window),
            memory.float64(window).fill(1),
          ];
          const own: reference.Limiting = {
            ceiling,
            release: 0.01,
            needs: [],
            held: new Array<number>(window).fill(1),
            gain: 1,
            sum: window,
          };
          p.set([ceiling, own.release, 0, 1, window]);
          counts[3] = window;
          const expected = new Float64Array(FRAMES);
          for (let turn = 0; turn < 3; turn++) {
            run.louder(gains.address, l.address, r.address, FRAMES);
            expected.set(gains);
            run.limit(
              gains.address,
              FRAMES,
              window,
              candidates.address,
              stamps.address,
              held.address,
              counts.address,
              p.address,
            );
            reference.limit(expected, FRAMES, window, own);
            same(gains, expected);
          }
        },
      ),
      { numRuns: 30 },
    );
  });

  test("gains meet what was held back", () => {
    fc.assert(
      fc.property(seeds, fc.constantFrom(0, 1, 7, 600), (seed, length) => {
        const { memory, run, left, right, l, r } = setUp(seed);
        const [gains, ring, counts] = [memory.float64(FRAMES), memory.float32(2 * length), memory.int32(4)];
        gains.set(noise(FRAMES, seed + 1).left);
        const held = Array.from({ length }, () => [0, 0] as const);
        for (let turn = 0; turn < 2; turn++) {
          l.set(left);
          r.set(right);
          run.applyGains(l.address, r.address, FRAMES, gains.address, ring.address, length, counts.address);
          const expected = { left: left.slice(), right: right.slice() };
          reference.applyGains(expected.left, expected.right, FRAMES, gains.slice(), held);
          same(l, expected.left);
          same(r, expected.right);
        }
        // What is all silence is found out as soon as the last sound is gone.
        for (let turn = 0; length > 0 && turn < 3; turn++) {
          l.fill(0);
          r.fill(0);
          run.applyGains(l.address, r.address, FRAMES, gains.address, ring.address, length, counts.address);
          expect(counts[1]).toBe(Math.min(length, (turn + 1) * FRAMES));
        }
      }),
      { numRuns: 20 },
    );
  });
});

test("repeats", () => {
  fc.assert(
    fc.property(
      seeds,
      fc.double({ min: 2, max: 300, noNaN: true }),
      fc.constantFrom(0, 0.05),
      fc.constantFrom(0, 0.5, 0.95),
      (seed, delay, delayStep, feedback) => {
        const { memory, run, left, right, l, r } = setUp(seed);
        const size = 400;
        const [ring, p, counts] = [memory.float32(2 * size), memory.float64(12), memory.int32(4)];
        const steps = { delay: delayStep, feedback: -1e-5, cross: 1e-4, wet: 2e-4 };
        const own: reference.Repeating = {
          past: [[], []],
          low: [0, 0],
          damp: 0.3,
          delay,
          feedback,
          cross: 0.2,
          wet: 0.4,
          steps,
        };
        p.set([delay, delayStep, feedback, steps.feedback, 0.2, steps.cross, 0.4, steps.wet, 0.3]);
        run.repeat(l.address, r.address, FRAMES, ring.address, size, counts.address, p.address);
        reference.repeat(left, right, FRAMES, own);
        same(l, left);
        same(r, right);
        expect([...p.subarray(10)]).toEqual(own.low);
      },
    ),
    { numRuns: 40 },
  );
});

test("copies that swing, added signals, and what leaves the network", () => {
  fc.assert(
    fc.property(
      seeds,
      fc.double({ min: 2, max: 200, noNaN: true }),
      fc.double({ min: 2, max: 200, noNaN: true }),
      (seed, one, other) => {
        const { memory, run, left, right, l, r } = setUp(seed);
        const size = 400;
        const [ring, p, counts] = [memory.float32(2 * size), memory.float64(10), memory.int32(4)];
        const own: reference.Copying = {
          past: [[], []],
          wet: 0.4,
          wetStep: 1e-4,
          delays: [
            [one, other],
            [other + 0.5, one + 20],
          ],
          steps: [
            [0.01, -0.0001],
            [0.002, 0.1],
          ],
        };
        p.set([
          own.wet,
          own.wetStep,
          ...own.delays.flatMap((side, k) => side.flatMap((delay, n) => [delay, own.steps[k as 0 | 1][n]!])),
        ]);
        run.copies(l.address, r.address, FRAMES, ring.address, size, counts.address, p.address);
        reference.copies(left, right, FRAMES, own);
        same(l, left);
        same(r, right);

        const n = FRAMES - (seed % 3);
        const [x, y] = [memory.float32(FRAMES), memory.float32(FRAMES)];
        x.set(noise(FRAMES, seed + 1).left);
        y.set(noise(FRAMES, seed + 2).left);
        expect(run.addFading(l.address, r.address, x.address, y.address, n, one / 100, 0.999)).toBe(
          reference.addFading(left, right, x, y, n, one / 100, 0.999),
        );
        same(l, left);
        same(r, right);

        const [outs, q] = [memory.float64(8 * FRAMES), memory.float64(8)];
        outs.set(Float64Array.from({ length: outs.length }, (_, i) => (i < 4096 ? randomUnit(seed, i) - 0.5 : 0)));
        const leaving: reference.Leaving = {
          wet: 0.2,
          wetStep: 1e-4,
          gain: 0.98,
          pole: 0.97,
          x: [0.1, 0.2],
          y: [0.3, 1e-31],
        };
        q.set([leaving.wet, leaving.wetStep, leaving.gain, leaving.pole, ...leaving.x, ...leaving.y]);
        run.outOfNetwork(l.address, r.address, FRAMES, outs.address, q.address);
        reference.outOfNetwork(left, right, FRAMES, outs, leaving);
        same(l, left);
        same(r, right);
        expect([...q.subarray(4)]).toEqual([...leaving.x, ...leaving.y]);
      },
    ),
    { numRuns: 40 },
  );
});
