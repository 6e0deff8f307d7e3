import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { noise } from "../../testing/listen";
import { MalformedFile, MemorySink, MemorySource } from "../bytes/bytes";
import type { Bext, WavFormat } from "./format";
import { WavReader } from "./read";
import type { WavWriteOptions } from "./write";
import { WavWriter } from "./write";

const bext: Bext = {
  description: "Glass pad",
  originator: "Stemzo",
  originatorReference: "ref",
  originationDate: "2026-11-24",
  originationTime: "12:30:00",
  timeReference: 2 ** 33 + 5,
  loudness: null,
};

function written(
  format: WavWriteOptions["format"],
  left: Float32Array,
  right: Float32Array,
  more: Partial<WavWriteOptions> = {},
): Uint8Array {
  const sink = new MemorySink();
  const writer = new WavWriter(sink, { format, bext: null, ditherSeed: null, ...more });
  writer.write(left, right, 0, left.length);
  expect(writer.finish()).toBe(sink.bytes().length);
  return sink.bytes();
}

function read(bytes: Uint8Array): {
  readonly wav: WavReader;
  readonly left: Float32Array;
  readonly right: Float32Array;
} {
  const wav = WavReader.open(new MemorySource(bytes));
  const left = new Float32Array(wav.frames);
  const right = new Float32Array(wav.frames);
  wav.read(0, wav.frames, left, right, 0);
  return { wav, left, right };
}

const { left, right } = noise(5001, 1, 0.9);

describe("WAV", () => {
  test("float samples come back bit for bit", () => {
    const back = read(written({ rate: 48000, channels: 2, depth: "32f" }, left, right));
    expect(back.left).toEqual(left);
    expect(back.right).toEqual(right);
  });

  test.each([
    ["16", 32768],
    ["24", 8388608],
  ] as const)(
    "%s-bit samples come back within half a step without dither, and exactly the second time",
    (depth, steps) => {
      const once = read(written({ rate: 44100, channels: 2, depth }, left, right));
      once.left.forEach((v, i) => expect(Math.abs(v - left[i]!)).toBeLessThanOrEqual(0.5 / steps + 1e-9));
      const twice = read(written({ rate: 44100, channels: 2, depth }, once.left, once.right));
      expect(twice.left).toEqual(once.left);
    },
  );

  test("a mono file has one channel and fills both", () => {
    const back = read(written({ rate: 96000, channels: 1, depth: "24" }, left, right));
    expect(back.wav.format).toEqual({ rate: 96000, channels: 1, depth: "24" });
    expect(back.right).toEqual(back.left);
  });

  test("dither is triangular over two steps, has no lean, and does not depend on how writing is cut up", () => {
    const quiet = new Float32Array(60000).fill(0.25 / 32768);
    const whole = read(written({ rate: 48000, channels: 2, depth: "16" }, quiet, quiet, { ditherSeed: 5 })).left;
    const mean = whole.reduce((a, v) => a + v, 0) / whole.length;
    // A quarter of a step, far below what rounding keeps: dither carries it, within five standard errors.
    expect(Math.abs(mean * 32768 - 0.25)).toBeLessThan(5 * Math.sqrt(0.5 / whole.length));
    expect(Math.max(...whole.map((v) => Math.abs(v * 32768)))).toBeLessThanOrEqual(1);
    const sink = new MemorySink();
    const writer = new WavWriter(sink, {
      format: { rate: 48000, channels: 2, depth: "16" },
      bext: null,
      ditherSeed: 5,
    });
    for (let at = 0; at < quiet.length; at += 777) writer.write(quiet, quiet, at, Math.min(777, quiet.length - at));
    writer.finish();
    expect(read(sink.bytes()).left).toEqual(whole);
  });

  test("samples beyond full scale are held there and counted", () => {
    const sink = new MemorySink();
    const writer = new WavWriter(sink, {
      format: { rate: 48000, channels: 1, depth: "24" },
      bext: null,
      ditherSeed: null,
    });
    writer.write(Float32Array.of(1.5, -1.5, 0.5), new Float32Array(3), 0, 3);
    writer.finish();
    expect(writer.clipped).toBe(2);
    expect([...read(sink.bytes()).left]).toEqual([8388607 / 8388608, -1, 0.5]);
  });

  test("bext keeps its text, a time reference beyond 32 bits, and loudness", () => {
    const sink = new MemorySink();
    const writer = new WavWriter(sink, { format: { rate: 48000, channels: 2, depth: "24" }, bext, ditherSeed: null });
    writer.write(left, right, 0, left.length);
    writer.finish({
      integratedLufs: -23.04,
      rangeLu: 7.5,
      maxTruePeakDb: -1.02,
      maxMomentaryLufs: -8.25,
      maxShortTermLufs: -9.5,
    });
    expect(WavReader.open(new MemorySource(sink.bytes())).bext).toEqual({
      ...bext,
      loudness: {
        integratedLufs: -23.04,
        rangeLu: 7.5,
        maxTruePeakDb: -1.02,
        maxMomentaryLufs: -8.25,
        maxShortTermLufs: -9.5,
      },
    });
  });

  test("beyond the limit of RIFF the file becomes RF64 and reads the same", () => {
    const bytes = written({ rate: 48000, channels: 2, depth: "24" }, left, right, { riffLimit: 1000 });
    expect(String.fromCharCode(...bytes.subarray(0, 4))).toBe("RF64");
    expect(String.fromCharCode(...bytes.subarray(12, 16))).toBe("ds64");
    expect(read(bytes).wav.frames).toBe(5001);
  });

  test("any part can be read, in any order", () => {
    const bytes = written({ rate: 48000, channels: 2, depth: "32f" }, left, right);
    const wav = WavReader.open(new MemorySource(bytes));
    fc.assert(
      fc.property(fc.nat(5000), fc.integer({ min: 1, max: 900 }), (from, wanted) => {
        const n = Math.min(wanted, wav.frames - from);
        const part = new Float32Array(n);
        wav.read(from, n, part, new Float32Array(n), 0);
        expect(part).toEqual(left.slice(from, from + n));
      }),
    );
  });
});

describe("hostile files", () => {
  const good = written({ rate: 48000, channels: 2, depth: "24" }, left.slice(0, 100), right.slice(0, 100), { bext });

  test("a file cut off anywhere is refused with the fault, or is whole", () => {
    for (let length = 0; length < good.length; length++)
      expect(() => WavReader.open(new MemorySource(good.slice(0, length)))).toThrow(MalformedFile);
  });

  test("changed bytes never hang, never read outside, and fail only as malformed", () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(good.length - 1), fc.nat(255)), { minLength: 1, maxLength: 6 }),
        (changes) => {
          const bytes = good.slice();
          for (const [at, value] of changes) bytes[at] = value;
          try {
            read(bytes);
          } catch (error) {
            expect(error).toBeInstanceOf(MalformedFile);
          }
        },
      ),
      { numRuns: 500, seed: 6 },
    );
  });

  test("what cannot be read is said", () => {
    const say = (change: (view: DataView) => void) => {
      const bytes = good.slice();
      change(new DataView(bytes.buffer));
      try {
        WavReader.open(new MemorySource(bytes));
      } catch (error) {
        return (error as Error).message;
      }
      return null;
    };
    const fmt = 12 + 8 + 28 + 8;
    expect(say((v) => v.setUint16(fmt + 2, 6, true))).toContain("6 channels");
    expect(say((v) => v.setUint16(fmt, 85, true))).toContain("encoding 85");
    expect(say((v) => v.setUint32(fmt + 4, 5, true))).toContain("5 Hz");
    expect(say((v) => v.setUint8(0, 65))).toBe("This is not a WAV file (at byte 0)");
  });
});

test("every depth has the size its samples have", () => {
  const size = (format: WavFormat & { depth: "16" | "24" | "32f" }) =>
    written(format, left.slice(0, 10), right.slice(0, 10)).length;
  expect(size({ rate: 48000, channels: 2, depth: "24" }) - size({ rate: 48000, channels: 2, depth: "16" })).toBe(20);
});

test("silence that is put in front is digital silence, whatever dither the rest has, which is as it would be anyway", () => {
  for (const depth of ["16", "24"] as const) {
    const write = (first: (writer: WavWriter) => void) => {
      const sink = new MemorySink();
      const writer = new WavWriter(sink, { format: { rate: 48000, channels: 2, depth }, bext: null, ditherSeed: 7 });
      first(writer);
      const tone = Float32Array.from({ length: 1000 }, (_, i) => 0.1 * Math.sin(i / 9));
      writer.write(tone, tone, 0, 1000);
      writer.finish();
      return sink.bytes();
    };
    const zeros = new Float32Array(5000);
    const made = write((writer) => writer.silence(5000));
    const dithered = write((writer) => writer.write(zeros, zeros, 0, 5000));
    const lead = 5000 * 2 * (depth === "16" ? 2 : 3);
    // The samples stand at the end of the file.
    const from = made.length - (lead * 6) / 5;
    expect(made.subarray(from, from + lead).every((b) => b === 0)).toBe(true);
    expect(dithered.subarray(from, from + lead).every((b) => b === 0)).toBe(false);
    expect(made.subarray(from + lead)).toEqual(dithered.subarray(from + lead));
  }
});
