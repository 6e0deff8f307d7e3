import { execFileSync, spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { Meter } from "../../core/analysis/measure";
import type { Bext } from "../../core/formats/wav/format";
import { WavReader } from "../../core/formats/wav/read";
import type { WavWriteOptions } from "../../core/formats/wav/write";
import { WavWriter } from "../../core/formats/wav/write";
import { noise } from "../../core/testing/listen";
import { FileSink, FileSource } from "../../server/audio/file-bytes";
import { Recorder } from "../../worker/render/recorder";

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-interop-"));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const FRAMES = 48000;
const bext: Bext = {
  description: "",
  originator: "",
  originatorReference: "",
  originationDate: "",
  originationTime: "",
  timeReference: 0,
  loudness: null,
};
const audio = noise(FRAMES, 4, 0.6);
const run = (command: string, ...args: readonly string[]) =>
  execFileSync(command, args, { cwd: folder, encoding: "utf8", stdio: ["ignore", "pipe", "pipe"] });

function write(
  name: string,
  options: Partial<WavWriteOptions> & Pick<WavWriteOptions, "format">,
  { left, right } = audio,
): string {
  const path = join(folder, name);
  const sink = new FileSink(path);
  const writer = new WavWriter(sink, {
    ditherSeed: null,
    bext: {
      description: "Glass pad",
      originator: "Stemzo",
      originatorReference: "",
      originationDate: "2026-11-24",
      originationTime: "10:20:30",
      timeReference: 5_000_000_000,
      loudness: null,
    },
    ...options,
  });
  writer.write(left, right, 0, FRAMES);
  writer.finish({
    integratedLufs: -12.34,
    rangeLu: 1.2,
    maxTruePeakDb: -0.5,
    maxMomentaryLufs: -8.25,
    maxShortTermLufs: -9.5,
  });
  sink.close();
  return path;
}

/** Interleaved float samples as ffmpeg decodes them. */
const decoded = (path: string): Float32Array => {
  const raw = execFileSync("ffmpeg", ["-v", "error", "-i", path, "-f", "f32le", "-"], { maxBuffer: 1 << 28 });
  return new Float32Array(raw.buffer, raw.byteOffset, raw.length / 4);
};

describe.each([["16"], ["24"], ["32f"]] as const)("a %s WAV of ours", (depth) => {
  test("decodes in ffmpeg to the samples our reader sees, and sox counts the same frames", () => {
    const path = write(`${depth}.wav`, { format: { rate: 48000, channels: 2, depth }, ditherSeed: 3 });
    const theirs = decoded(path);
    const source = new FileSource(path);
    const wav = WavReader.open(source);
    const left = new Float32Array(FRAMES);
    const right = new Float32Array(FRAMES);
    wav.read(0, FRAMES, left, right, 0);
    source.close();
    expect(theirs.length).toBe(2 * FRAMES);
    for (let i = 0; i < FRAMES; i++)
      if (theirs[2 * i] !== left[i] || theirs[2 * i + 1] !== right[i]) throw new Error(`frame ${i} differs`);
    expect(run("soxi", "-s", path).trim()).toBe(String(FRAMES));
  });
});

test("ffprobe and mediainfo read our bext: description, time reference beyond 32 bits, loudness", () => {
  const path = write("bext.wav", { format: { rate: 48000, channels: 2, depth: "24" } });
  const tags = (
    JSON.parse(run("ffprobe", "-v", "error", "-of", "json", "-show_format", path)) as {
      format: { tags: Record<string, string> };
    }
  ).format.tags;
  expect(tags).toMatchObject({
    comment: "Glass pad",
    encoded_by: "Stemzo",
    time_reference: "5000000000",
    date: "2026-11-24",
    creation_time: "10:20:30",
  });
  const info = run("mediainfo", "--Details=1", path);
  // Printed unsigned: 65536 - 1234.
  expect(info).toMatch(/LoudnessValue:\s+64302/);
});

test("RF64 of ours is read by ffmpeg as the same audio", () => {
  const plain = decoded(write("plain.wav", { format: { rate: 48000, channels: 2, depth: "24" } }));
  const large = decoded(write("large.wav", { format: { rate: 48000, channels: 2, depth: "24" }, riffLimit: 1000 }));
  expect(Buffer.from(large.buffer).equals(Buffer.from(plain.buffer))).toBe(true);
});

test("files of ffmpeg and sox are read by us: 16, 24, 32 and float, mono and stereo, extensible headers too", () => {
  const source = write("source.wav", { format: { rate: 48000, channels: 2, depth: "32f" } });
  for (const [name, args] of [
    ["f16", ["-c:a", "pcm_s16le"]],
    ["f24", ["-c:a", "pcm_s24le"]],
    ["f32", ["-c:a", "pcm_s32le"]],
    ["ff", ["-c:a", "pcm_f32le"]],
    ["fm", ["-c:a", "pcm_s24le", "-ac", "1"]],
  ] as const) {
    const path = join(folder, `${name}.wav`);
    run("ffmpeg", "-v", "error", "-y", "-i", source, ...args, path);
    const file = new FileSource(path);
    const wav = WavReader.open(file);
    expect(wav.frames).toBe(FRAMES);
    const left = new Float32Array(FRAMES);
    wav.read(0, FRAMES, left, new Float32Array(FRAMES), 0);
    file.close();
    const theirs = decoded(path);
    const step = wav.format.channels;
    for (let i = 0; i < FRAMES; i += 97) expect(Math.abs(left[i]! - theirs[step * i]!)).toBeLessThan(1e-7);
  }
  const path = join(folder, "sox.wav");
  run("sox", source, "-b", "24", "-D", path);
  const file = new FileSource(path);
  expect(WavReader.open(file).format).toEqual({ rate: 48000, channels: 2, depth: "24" });
  file.close();
});

test("loudness and true peak agree with ffmpeg's meter", () => {
  // Like music, it has next to nothing at half the rate, where two interpolators may honestly differ.
  const soft = (x: Float32Array) => x.map((v, i) => (v + 2 * (x[i - 1] ?? 0) + (x[i - 2] ?? 0)) / 4);
  const music = { left: soft(audio.left), right: soft(audio.right) };
  const path = write("loud.wav", { format: { rate: 48000, channels: 2, depth: "32f" } }, music);
  const meter = new Meter(48000);
  meter.push(music.left, music.right, 0, FRAMES);
  const ours = meter.finish();
  const said = execFileSync(
    "bash",
    ["-c", `ffmpeg -hide_banner -nostats -i "${path}" -af ebur128=peak=true -f null - 2>&1`],
    { encoding: "utf8" },
  );
  const summary = said.slice(said.lastIndexOf("Summary:"));
  const figure = (name: string) => Number(new RegExp(`${name}:\\s+(-?[\\d.]+)`).exec(summary)?.[1]);
  expect(Math.abs(ours.lufs! - figure("I"))).toBeLessThanOrEqual(0.1);
  expect(Math.abs(ours.truePeakDb! - figure("Peak"))).toBeLessThanOrEqual(0.2);
  expect(readFileSync(path).length).toBeGreaterThan(FRAMES * 8);
});

test.each([
  ["stereo", "24"],
  ["mono", "16"],
  ["mono", "32f"],
  ["clipped", "16"],
] as const)(
  "the loudness in the fields of a %s file at %s bits is that of the file as ffmpeg measures it: integrated, momentary, short-term, true peak",
  async (kind, depth) => {
    const path = join(folder, `fields-${kind}-${depth}.wav`);
    const recorder = new Recorder(
      {
        path,
        format: { rate: 48000, channels: 2, depth },
        bext,
        ditherSeed: depth === "32f" ? null : 3,
        foldMono: true,
      },
      48000,
    );
    const a = noise(48000 * 12, 4, 0.2);
    const shaped = (x: Float32Array) =>
      x.map(
        (v, i) =>
          v *
          (kind === "clipped" ? 9 : 1) *
          (0.15 + 0.85 * Math.sin((Math.PI * i) / x.length) ** 4) *
          Math.min(1, i / 4800),
      );
    const left = shaped(a.left);
    recorder.sink(left, kind === "mono" ? left : shaped(a.right), 0, left.length);
    const written = await recorder.finish();
    expect(written.format.channels).toBe(kind === "mono" ? 1 : 2);
    const source = new FileSource(path);
    const fields = WavReader.open(source).bext!.loudness!;
    source.close();
    const said = spawnSync(
      "ffmpeg",
      ["-nostats", "-i", path, "-af", "ebur128=peak=true:metadata=1,ametadata=print:file=-", "-f", "null", "-"],
      { encoding: "utf8", maxBuffer: 1 << 28 },
    );
    const summary = said.stderr.slice(said.stderr.lastIndexOf("Summary:"));
    const largest = (key: string) =>
      Math.max(
        ...[...said.stdout.matchAll(new RegExp(`lavfi\\.r128\\.${key}=(-?[\\d.]+)`, "g"))].map((m) => Number(m[1])),
      );
    expect(Math.abs(fields.integratedLufs! - Number(/I:\s+(-?[\d.]+) LUFS/.exec(summary)![1]))).toBeLessThanOrEqual(
      0.1,
    );
    expect(Math.abs(fields.maxTruePeakDb! - Number(/Peak:\s+(-?[\d.]+) dBFS/.exec(summary)![1]))).toBeLessThanOrEqual(
      kind === "clipped" ? 0.5 : 0.2,
    );
    expect(Math.abs(fields.maxMomentaryLufs! - largest("M"))).toBeLessThanOrEqual(0.1);
    expect(Math.abs(fields.maxShortTermLufs! - largest("S"))).toBeLessThanOrEqual(0.1);
    expect((written.measures.clippedSamples ?? 0) > 0).toBe(kind === "clipped");
  },
);
