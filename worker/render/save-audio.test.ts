import { execFileSync } from "node:child_process";
import fc from "fast-check";
import { afterAll, beforeAll, expect, test } from "vitest";
import type { Asset } from "../../core/session/document";
import { noise } from "../../core/testing/listen";
import type { Fresh } from "../../tests/setup/fresh";
import { fresh, keep } from "../../tests/setup/fresh";
import { saveAudio } from "./save-audio";
import type { SaveAudioTask } from "./save-audio";

let at: Fresh;
let stereo: Asset;
beforeAll(async () => {
  at = await fresh();
  stereo = await keep(at, "noise", noise(30011, 4, 0.5));
});
afterAll(() => at.close());

const task = (how: Partial<SaveAudioTask>): SaveAudioTask => ({
  kind: "save audio",
  from: at.store.path(stereo.id),
  to: at.store.unfinished(),
  title: "Noise",
  song: "Harbour Lamps",
  bpm: 97.5,
  date: "2026-11-28",
  format: "wav",
  rate: null,
  depth: "24",
  dither: false,
  channels: "as it is",
  ...how,
});

/** What ffmpeg reads out of a file: interleaved, as floats. */
const decoded = (path: string): Float32Array => {
  const bytes = execFileSync("ffmpeg", ["-v", "error", "-i", path, "-f", "f32le", "-"], { maxBuffer: 1 << 28 });
  return new Float32Array(bytes.buffer, bytes.byteOffset, bytes.length / 4);
};
const probed = (path: string) => {
  const text = execFileSync("ffprobe", [
    ...[
      "-v",
      "error",
      "-of",
      "json",
      "-show_entries",
      "stream=codec_name,sample_rate,channels,bits_per_raw_sample",
      path,
    ],
  ]).toString();
  return (JSON.parse(text) as { streams: Record<string, string | number>[] }).streams[0]!;
};

test("a saved file is what was asked for, by another program's reading: format, rate, channels, every sample", async () => {
  const whole = decoded(at.store.path(stereo.id));
  await fc.assert(
    fc.asyncProperty(
      fc.constantFrom("wav" as const, "aiff" as const, "flac" as const),
      fc.constantFrom("16" as const, "24" as const, "32f" as const),
      fc.constantFrom("as it is" as const, "mono" as const, "stereo" as const),
      async (format, depth, channels) => {
        if (format === "flac" && depth === "32f") return;
        const made = await saveAudio(task({ format, depth, channels }), () => true);
        const facts = probed(made.path);
        const count = channels === "mono" ? 1 : 2;
        expect([facts["channels"], Number(facts["sample_rate"])]).toEqual([count, 48000]);
        expect(String(facts["codec_name"])).toMatch(format === "flac" ? /^flac$/ : /^pcm_/);
        const heard = decoded(made.path);
        expect(heard.length).toBe(30011 * count);
        const step = depth === "16" ? 1 / 32768 : depth === "24" ? 1 / 8388608 : 1e-7;
        for (let i = 0; i < heard.length; i++) {
          const wanted =
            count === 2 ? (whole[i] as number) : 0.5 * ((whole[2 * i] as number) + (whole[2 * i + 1] as number));
          if (Math.abs((heard[i] as number) - wanted) > step) throw new Error(`${format} ${depth} ${i}`);
        }
      },
    ),
    { numRuns: 12 },
  );
});

test("another rate is as long as it should be; MP3 can be read; what is stopped leaves no file", async () => {
  const converted = await saveAudio(task({ rate: 44100 }), () => true);
  expect([converted.format.rate, converted.frames]).toEqual([44100, Math.round((30011 * 44100) / 48000)]);
  expect(decoded(converted.path).length).toBe(2 * converted.frames);
  const mp3 = await saveAudio(task({ format: "mp3" }), () => true);
  expect(probed(mp3.path)["codec_name"]).toBe("mp3");
  const stopped = task({});
  await expect(saveAudio(stopped, () => false)).rejects.toThrow(/cancelled/);
  expect(() => execFileSync("test", ["-e", stopped.to])).toThrow();
});
