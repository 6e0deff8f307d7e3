import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { offsetFrames } from "../../core/analysis/correlation";
import { MalformedFile, MemorySource } from "../../core/formats/bytes/bytes";
import { WavReader } from "../../core/formats/wav/read";
import { WavWriter } from "../../core/formats/wav/write";
import { FileSink, FileSource } from "../../server/audio/file-bytes";
import { sha256OfFileNow } from "../../server/audio/files";
import { decode, sniff } from "../../worker/import/decode";
import { ManyChannels } from "../../worker/import/reader";
import { importFile } from "../../worker/import/import-file";

let folder: string;
const at = (name: string) => join(folder, name);
const run = (command: string, ...args: readonly string[]) =>
  execFileSync(command, args, { cwd: folder, stdio: ["ignore", "pipe", "pipe"], maxBuffer: 1 << 28 });

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-import-"));
  run(
    "sox",
    "-R",
    "-n",
    "-r",
    "44100",
    "-b",
    "16",
    "-c",
    "2",
    "wide.wav",
    "synth",
    "1.5",
    "pinknoise",
    "gain",
    "-8",
    "fade",
    "0.01",
  );
  run(
    "sox",
    "-R",
    "-n",
    "-r",
    "48000",
    "-b",
    "24",
    "-c",
    "1",
    "narrow.wav",
    "synth",
    "1",
    "sine",
    "300-3000",
    "gain",
    "-3",
    "fade",
    "0.02",
  );
  for (const name of ["wide", "narrow"]) {
    run("flac", "-sf", `${name}.wav`);
    run("sox", `${name}.wav`, `${name}.aiff`);
    run("ffmpeg", "-y", "-v", "error", "-i", `${name}.wav`, "-c:a", "pcm_s16le", "-f", "aiff", `${name}-swapped.aifc`);
    run("ffmpeg", "-y", "-v", "error", "-i", `${name}.wav`, "-c:a", "pcm_f32be", "-f", "aiff", `${name}-float.aifc`);
    run("ffmpeg", "-y", "-v", "error", "-i", `${name}.wav`, "-b:a", "192k", `${name}.mp3`);
    run("ffmpeg", "-y", "-v", "error", "-i", `${name}.wav`, "-c:a", "libvorbis", "-q:a", "8", `${name}.ogg`);
    run("ffmpeg", "-y", "-v", "error", "-i", `${name}.wav`, "-c:a", "libopus", "-b:a", "192k", `${name}.opus`);
  }
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** A WAV file's samples by our reader. */
function samples(path: string) {
  const source = new FileSource(path);
  const wav = WavReader.open(source);
  const left = new Float32Array(wav.frames),
    right = new Float32Array(wav.frames);
  wav.read(0, wav.frames, left, right, 0);
  source.close();
  return { left, right, format: wav.format, frames: wav.frames, bext: wav.bext };
}

/** A file's channels as ffmpeg decodes them. */
function byFfmpeg(name: string, channels: number): readonly Float32Array[] {
  const raw = run("ffmpeg", "-v", "error", "-i", name, "-f", "f32le", "-");
  const all = new Float32Array(raw.buffer.slice(raw.byteOffset, raw.byteOffset + raw.length));
  return Array.from({ length: channels }, (_, c) => all.filter((_v, i) => i % channels === c));
}

let count = 0;
const bring = async (name: string, rate: number) => {
  const to = at(`out-${count++}.wav`);
  const [made] = await importFile({ kind: "import", from: at(name), to, name, rate }, () => true);
  return { ...made!, ...samples(to), to };
};

describe("bringing audio in", () => {
  test.each([
    ["wide.wav", "wav", "16"],
    ["narrow.wav", "wav", "24"],
    ["wide.aiff", "aiff", "16"],
    ["narrow.aiff", "aiff", "24"],
    ["wide-swapped.aifc", "aiff", "16"],
    ["narrow-swapped.aifc", "aiff", "16"],
    ["wide-float.aifc", "aiff", "32f"],
    ["narrow-float.aifc", "aiff", "32f"],
    ["wide.flac", "flac", "16"],
    ["narrow.flac", "flac", "24"],
  ])("%s stays exact to the bit at its own rate", async (name, kind, depth) => {
    const wide = name.startsWith("wide");
    const made = await bring(name, wide ? 44100 : 48000);
    expect([made.kind, made.format.depth, made.format.channels]).toEqual([kind, depth, wide ? 2 : 1]);
    const [left, right] = byFfmpeg(name, wide ? 2 : 1);
    expect(made.left).toEqual(left);
    if (wide) expect(made.right).toEqual(right);
    expect(made.file.sha256).toBe(sha256OfFileNow(made.to));
    expect(made.file.frames).toBe(wide ? 66150 : 48000);
  });

  test("a WAV file at the session's rate is kept byte for byte", async () => {
    expect(readFileSync((await bring("wide.wav", 44100)).to).equals(readFileSync(at("wide.wav")))).toBe(true);
  });

  test.each([
    ["wide.mp3", 44100, 2],
    ["narrow.mp3", 48000, 1],
    ["wide.ogg", 44100, 2],
    ["narrow.ogg", 48000, 1],
    ["narrow.opus", 48000, 1],
  ])("%s has the length and the place of what it was made from", async (name, rate, channels) => {
    const made = await bring(name, rate);
    const original = samples(at(name.replace(/\..*$/, ".wav")));
    expect([made.frames, made.format.channels]).toEqual([original.frames, channels]);
    expect(offsetFrames(made.left.slice(8192, 8192 + 32768), original.left.slice(8192, 8192 + 32768))).toBe(0);
  });

  test("another rate is converted: the same length in time, the same place, the same pitch", async () => {
    const longer = await bring("wide.flac", 48000);
    expect([longer.rate, longer.format.rate, longer.format.depth, longer.frames]).toEqual([44100, 48000, "32f", 72000]);
    const made = await bring("narrow.flac", 44100);
    expect([made.rate, made.frames]).toEqual([48000, 44100]);
    // ffmpeg's finest converter as the judge, over what lies away from the edges.
    const raw = run(
      "ffmpeg",
      "-v",
      "error",
      "-i",
      "narrow.wav",
      "-af",
      "aresample=44100:resampler=soxr:precision=28",
      "-f",
      "f32le",
      "-",
    );
    const theirs = new Float32Array(raw.buffer.slice(raw.byteOffset, raw.byteOffset + raw.length));
    let worst = 0;
    for (let i = 1000; i < 43000; i++) worst = Math.max(worst, Math.abs(made.left[i]! - theirs[i]!));
    expect(20 * Math.log10(worst)).toBeLessThan(-100);
    const opus = await bring("wide.opus", 44100);
    expect(Math.abs(opus.frames - 66150)).toBeLessThanOrEqual(1);
  });

  test("a time stamp goes along, at the session's rate", async () => {
    const sink = new FileSink(at("stamped.wav"));
    const writer = new WavWriter(sink, {
      format: { rate: 44100, channels: 2, depth: "24" },
      ditherSeed: null,
      bext: {
        description: "",
        originator: "",
        originatorReference: "",
        originationDate: "",
        originationTime: "",
        timeReference: 441_000,
        loudness: null,
      },
    });
    const { left, right } = samples(at("wide.wav"));
    writer.write(left, right, 0, left.length);
    writer.finish();
    sink.close();
    expect((await bring("stamped.wav", 44100)).timeReference).toBe(441_000);
    const converted = await bring("stamped.wav", 48000);
    expect([converted.timeReference, converted.bext?.timeReference]).toEqual([480_000, 480_000]);
  });

  test("a damaged FLAC file is refused by its own checksum; what is no audio is refused by name; nothing is left behind", async () => {
    const bytes = readFileSync(at("wide.flac"));
    const middle = bytes.length >> 1;
    for (let i = 0; i < 40; i++) bytes[middle + i] = (bytes[middle + i] as number) ^ 0x5a;
    writeFileSync(at("damaged.flac"), bytes);
    writeFileSync(at("letter.mp3"), "Dear all, please find attached");
    for (const name of ["damaged.flac", "letter.mp3"]) {
      const to = at(`never-${name}`);
      await expect(importFile({ kind: "import", from: at(name), to, name, rate: 44100 }, () => true)).rejects.toThrow(
        MalformedFile,
      );
      expect(() => readFileSync(to)).toThrow();
    }
  });

  test("whatever is done to a file, it is read or refused, never anything else", async () => {
    const files = ["wide.aiff", "narrow.flac", "narrow.mp3", "narrow.ogg", "narrow.wav"].map((n) =>
      readFileSync(at(n)).subarray(0, 6000),
    );
    await fc.assert(
      fc.asyncProperty(
        fc.nat(files.length - 1),
        fc.array(fc.tuple(fc.nat(5999), fc.nat(255)), { maxLength: 6 }),
        fc.nat(5999),
        async (which, changes, cut) => {
          const file = files[which]!;
          const bytes = new Uint8Array(file.subarray(0, Math.max(64, file.length - (cut % 3 === 0 ? cut : 0))));
          for (const [place, value] of changes)
            if (place < bytes.length) bytes[cut % 2 === 0 ? place % 64 : place] = value;
          const source = new MemorySource(bytes);
          try {
            await decode(source, sniff(source), { begin: () => () => undefined, progress: () => true });
          } catch (error) {
            expect(error instanceof MalformedFile || error instanceof ManyChannels, String(error)).toBe(true);
          }
        },
      ),
      { numRuns: 150 },
    );
  });

  test.each([
    ["pcm_u8", "16"],
    ["pcm_s32le", "32f"],
    ["pcm_f64le", "32f"],
    ["pcm_alaw", "16"],
    ["pcm_mulaw", "16"],
  ])("WAV in %s is read as ffmpeg reads it", async (codec, depth) => {
    run("ffmpeg", "-y", "-v", "error", "-i", "wide.wav", "-c:a", codec, `${codec}.wav`);
    const made = await bring(`${codec}.wav`, 44100);
    // What the engine reads itself is kept as it is.
    expect([made.kind, made.format.depth, made.frames]).toEqual(["wav", codec === "pcm_s32le" ? "32" : depth, 66150]);
    const [left, right] = byFfmpeg(`${codec}.wav`, 2);
    const worst = Math.max(
      ...[made.left, made.right].map((x, c) =>
        x.reduce((m, v, i) => Math.max(m, Math.abs(v - ([left, right][c]![i] ?? 9))), 0),
      ),
    );
    expect(worst).toBeLessThan(1e-7);
  });

  test.each([
    ["six.wav", 6, "pcm_s24le"],
    ["four.flac", 4, "flac"],
    ["three.aiff", 3, "pcm_s16be"],
  ])("%s: each of its %d channels becomes a mono file", async (name, channels, codec) => {
    run(
      "ffmpeg",
      "-y",
      "-v",
      "error",
      "-f",
      "lavfi",
      "-i",
      `aevalsrc=${Array.from({ length: channels }, (_, c) => `0.${c + 1}*sin(${300 * (c + 1)}*t)`).join("|")}:s=48000:d=0.5`,
      "-c:a",
      codec,
      name,
    );
    const made = await importFile(
      { kind: "import", from: at(name), to: at(`out-${count++}.wav`), name: "Room", rate: 48000 },
      () => true,
    );
    expect(made.map((m) => [m.name, m.file.format.channels, m.file.frames])).toEqual(
      Array.from({ length: channels }, (_, c) => [`Room ${c + 1}`, 1, 24000]),
    );
    byFfmpeg(name, channels).forEach((wanted, c) => expect(samples(made[c]!.file.path).left).toEqual(wanted));
  });
});

describe("small files that must not stop anything", () => {
  /** A FLAC file whose header states another rate: twenty bits from byte 18 on. RFC 9639, 8.2. */
  const flacAt = (name: string, rate: number) => {
    const bytes = readFileSync(at("wide.flac"));
    bytes[18] = rate >> 12;
    bytes[19] = (rate >> 4) & 255;
    bytes[20] = ((rate & 15) << 4) | (bytes[20]! & 15);
    writeFileSync(at(name), bytes);
  };
  const refused = async (name: string, why: RegExp, rate = 48000) => {
    const began = performance.now();
    await expect(
      importFile({ kind: "import", from: at(name), to: at("never.wav"), name, rate }, () => true),
    ).rejects.toThrow(why);
    expect(performance.now() - began).toBeLessThan(5000);
  };

  test.each([0, 1, 999])("FLAC at %d Hz is refused at once", async (rate) => {
    flacAt("odd.flac", rate);
    await refused("odd.flac", new RegExp(`The rate of ${rate} Hz is not usable`));
  });

  test("a WAV file with what is no number is refused with the frame, whatever its width", async () => {
    for (const [codec, width] of [
      ["pcm_f32le", 4],
      ["pcm_f64le", 8],
    ] as const) {
      run("ffmpeg", "-y", "-v", "error", "-i", "narrow.wav", "-c:a", codec, "-fflags", "+bitexact", "bad.wav");
      const bytes = readFileSync(at("bad.wav"));
      const place = bytes.indexOf("data") + 8 + 1234 * width;
      if (width === 4) bytes.writeFloatLE(NaN, place);
      else bytes.writeDoubleLE(Infinity, place);
      writeFileSync(at("bad.wav"), bytes);
      await refused("bad.wav", /frame 1234 is not a number/);
    }
  });

  test("a rate next to no other costs neither seconds nor gigabytes, and sounds as it should", async () => {
    const sink = new FileSink(at("rate.wav"));
    const writer = new WavWriter(sink, {
      format: { rate: 767_999, channels: 1, depth: "24" },
      bext: null,
      ditherSeed: null,
    });
    const tone = Float32Array.from({ length: 76_800 }, (_, i) => 0.5 * Math.sin((2 * Math.PI * 1000 * i) / 767_999));
    writer.write(tone, tone, 0, tone.length);
    writer.finish();
    sink.close();
    const before = process.memoryUsage().rss;
    const began = performance.now();
    const made = await bring("rate.wav", 48000);
    expect(performance.now() - began).toBeLessThan(5000);
    expect(process.memoryUsage().rss - before).toBeLessThan(256 << 20);
    expect(made.frames).toBe(Math.ceil((76_800 * 48000) / 767_999));
    const worst = made.left
      .subarray(500, 4300)
      .reduce((m, v, i) => Math.max(m, Math.abs(v - 0.5 * Math.sin((2 * Math.PI * 1000 * (i + 500)) / 48000))), 0);
    expect(20 * Math.log10(worst)).toBeLessThan(-120);
  });

  test("damaged Opus files are refused or read as far as they go, one after the other", async () => {
    const good = readFileSync(at("narrow.opus"));
    for (let n = 0; n < 40; n++) {
      const bytes = Buffer.from(good);
      for (let k = 0; k < 1 + (n % 5); k++) bytes[(n * 7919 + k * 104_729) % bytes.length] = (n * 31 + k * 17) & 255;
      const source = new MemorySource(new Uint8Array(bytes.subarray(0, n % 4 === 0 ? 100 + n * 13 : bytes.length)));
      await decode(source, "opus", { begin: () => () => undefined, progress: () => true }).catch((error: unknown) =>
        expect(error).toBeInstanceOf(MalformedFile),
      );
    }
  });
});
