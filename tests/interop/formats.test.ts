import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, expect, test } from "vitest";
import { AiffReader } from "../../core/formats/aiff/read";
import { AiffWriter } from "../../core/formats/aiff/write";
import { MemorySink, MemorySource } from "../../core/formats/bytes/bytes";
import { flacTimeReference } from "../../core/formats/flac/comments";
import { FlacWriter } from "../../core/formats/flac/write";
import { id3TimeReference } from "../../core/formats/id3";
import type { Label } from "../../core/formats/label";

/** The writers of other formats than WAV, as decoders that are not ours read them: every sample, every word. */
let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-formats-"));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const run = (command: string, ...args: readonly string[]): Buffer =>
  execFileSync(command, args, { maxBuffer: 1 << 28, stdio: ["ignore", "pipe", "pipe"] });

const text = fc.string({ maxLength: 20, unit: fc.constantFrom(..."abc Äß漢-") });
const labels: fc.Arbitrary<Label> = fc.record({
  title: text,
  song: text,
  number: fc.nat(99),
  date: fc.constant("2026-11-28"),
  bpm: fc.integer({ min: 10, max: 500 }),
  timeReference: fc.nat(2 ** 40),
  marks: fc.array(fc.record({ frame: fc.nat(5000), text }), { maxLength: 4 }),
});
/** Signals that are easy and hard for a predictor: silence, noise, steps, the extremes, a single click. */
const kinds = ["silence", "noise", "quiet", "sine", "extremes", "click", "alike", "steps"] as const;
const files = fc.record({
  label: labels,
  rate: fc.constantFrom(44100, 48000, 88200, 96000),
  channels: fc.constantFrom(1 as const, 2 as const),
  depth: fc.constantFrom("16" as const, "24" as const),
  frames: fc.oneof(
    fc.integer({ min: 1, max: 20 }),
    fc.integer({ min: 4090, max: 4100 }),
    fc.integer({ min: 1, max: 20000 }),
  ),
  kind: fc.constantFrom(...kinds),
  piece: fc.integer({ min: 1, max: 9000 }),
  seed: fc.nat(1000),
});

interface Drawn {
  readonly channels: 1 | 2;
  readonly depth: "16" | "24";
  readonly frames: number;
  readonly kind: (typeof kinds)[number];
  readonly seed: number;
}

function samplesOf({ channels, depth, frames, kind, seed }: Drawn): Buffer {
  const width = Number(depth) / 8;
  const full = 2 ** (Number(depth) - 1);
  const bytes = Buffer.alloc(frames * channels * width);
  let state = seed + 1;
  const random = () => (state = (state * 1103515245 + 12345) % 2147483648) / 1073741824 - 1;
  for (let i = 0; i < frames; i++)
    for (let c = 0; c < channels; c++) {
      const value = {
        silence: () => 0,
        noise: () => random() * full,
        quiet: () => random() * 3,
        sine: () => Math.sin(i * 0.03 + c * 0.3) * full * 0.7,
        extremes: () => (i % 2 === 0 ? -full : full - 1),
        click: () => (i % 3001 === 7 ? full - 1 : 0),
        alike: () => Math.sin(i * 0.01) * full * 0.9,
        steps: () => (Math.floor(i / 100) % 7) * 1000 * (c + 1),
      }[kind]();
      bytes.writeIntLE(Math.max(-full, Math.min(full - 1, Math.round(value))), (i * channels + c) * width, width);
    }
  return bytes;
}

test("FLAC: its own tools find every sample, the checksum of all of them, and every word", () => {
  let n = 0;
  fc.assert(
    fc.property(files, ({ label, rate, piece, ...drawn }) => {
      const samples = samplesOf(drawn);
      const sink = new MemorySink();
      const md5 = createHash("md5");
      const { channels, depth } = drawn;
      const writer = new FlacWriter(sink, { rate, channels, depth }, label, {
        update: (bytes) => void md5.update(bytes),
        digest: () => md5.digest(),
      });
      for (let at = 0; at < samples.length; at += piece) writer.write(samples.subarray(at, at + piece));
      writer.finish();
      const path = join(folder, `${n++}.flac`);
      writeFileSync(path, sink.bytes());
      run("flac", "-t", "-s", "-w", path);
      const decoded = run("flac", "-d", "-s", "-c", "--force-raw-format", "--endian=little", "--sign=signed", path);
      expect(decoded.equals(samples)).toBe(true);
      const tags = run("metaflac", "--no-utf8-convert", "--export-tags-to=-", path).toString("utf8");
      expect(tags).toContain(`TITLE=${label.title}\n`);
      expect(tags).toContain(`TIME_REFERENCE=${label.timeReference}\n`);
      for (const mark of label.marks) expect(tags).toContain(`NAME=${mark.text}\n`);
      const info = run("metaflac", "--show-sample-rate", "--show-channels", "--show-bps", "--show-total-samples", path);
      expect(info.toString().trim().split("\n").map(Number)).toEqual([rate, channels, Number(depth), drawn.frames]);
      expect(flacTimeReference(new MemorySource(sink.bytes()))).toBe(label.timeReference);
      rmSync(path);
    }),
    { numRuns: 60 },
  );
});

test("AIFF: sox finds every sample and sndfile every mark, whatever they are called", () => {
  let n = 0;
  fc.assert(
    fc.property(files, ({ label, rate, piece, ...drawn }) => {
      const samples = samplesOf(drawn);
      const sink = new MemorySink();
      const { channels, depth, frames } = drawn;
      const writer = new AiffWriter(sink, { rate, channels, depth }, frames, label);
      const width = channels * (Number(depth) / 8);
      // It turns bytes around in place, whole frames at a time.
      for (let at = 0; at < samples.length; at += piece * width)
        writer.write(Buffer.from(samples.subarray(at, at + piece * width)));
      writer.finish();
      const path = join(folder, `${n++}.aif`);
      writeFileSync(path, sink.bytes());
      const raw = run("sox", "-D", path, "-t", "raw", "-L", "-e", "signed-integer", "-b", depth, "-");
      expect(raw.equals(samples)).toBe(true);
      const info = run("sndfile-info", path).toString("latin1");
      expect(info.match(/Mark ID/g)?.length ?? 0).toBe(label.marks.length);
      const own = AiffReader.open(new MemorySource(sink.bytes()));
      expect([own.frames, own.rate, own.timeReference]).toEqual([frames, rate, label.timeReference]);
      rmSync(path);
    }),
    { numRuns: 60 },
  );
});

test("tags that are cut, or hold nonsense, tell no time and end no reader", () => {
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 400 }), fc.nat(400), (noise, cut) => {
      const tag = [0x49, 0x44, 0x33, 4, 0, 0];
      for (const bytes of [
        noise,
        Uint8Array.from([...tag, ...noise]),
        Uint8Array.from([...tag, ...noise]).subarray(0, cut),
      ]) {
        expect(() => id3TimeReference(new MemorySource(bytes), 0)).not.toThrow();
        expect(() => flacTimeReference(new MemorySource(bytes))).not.toThrow();
      }
    }),
    { numRuns: 500 },
  );
});
