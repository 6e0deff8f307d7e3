import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync, statSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, expect, test } from "vitest";
import { convertedFrame } from "../../core/analysis/resample";
import type { ExportPlan, StemFile } from "../../core/delivery/plan";
import { stampsOf } from "../../core/delivery/stamps";
import { MIX_AFTER } from "../../core/engine/tap";
import { WavReader } from "../../core/formats/wav/read";
import { WavWriter } from "../../core/formats/wav/write";
import { makeSession } from "../../core/session/build";
import { noise } from "../../core/testing/listen";
import { tempoMap } from "../../core/time/tempo";
import { FileSink, FileSource } from "../../server/audio/file-bytes";

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-stamps-"));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const run = (command: string, ...args: readonly string[]) =>
  execFileSync(command, args, { encoding: "utf8", stdio: ["ignore", "pipe", "ignore"] });
/** Text that is not trimmed away, nor read as a number or a date, by what reads it here. */
const names = fc
  .string({ unit: fc.constantFrom(..."aßñ漢🎹&<>'/ "), minLength: 1, maxLength: 30 })
  .map((text) => `n${text}n`);
const deliveries = fc.record({
  names: fc.array(names, { minLength: 2, maxLength: 2 }),
  markers: fc.array(fc.record({ tick: fc.nat(9000), name: names }), { maxLength: 6 }),
  rates: fc.constantFrom([48000, 48000] as const, [44100, 96000] as const, [96000, 44100] as const),
  depth: fc.constantFrom("16" as const, "24" as const, "32f" as const),
  channels: fc.constantFrom(1 as const, 2 as const),
  from: fc.nat(60000),
  frames: fc.integer({ min: 20001, max: 90000 }),
});

interface Chapter {
  readonly start: number;
  readonly tags: { readonly title: string };
}

test("readers of others find every marker at its frame, the file's name and family, and nothing moved by it", () => {
  let n = 0;
  fc.assert(
    fc.property(
      deliveries,
      ({ names: [song = "", title = ""], markers, rates: [rate, to], depth, channels, ...at }) => {
        const session = makeSession({
          name: song,
          rate,
          tracks: [],
          markers: markers.map((m, i) => ({ id: `m${i}`, ...m })),
        });
        const file: StemFile = {
          fileName: "01 x.wav",
          title,
          role: "stem",
          sources: [],
          tap: MIX_AFTER,
          fingerprint: String(n),
          silence: null,
          format: "wav",
          fold: null,
          keepsStereo: false,
          number: 1,
        };
        const plan: ExportPlan = {
          folder: song,
          files: [file],
          collided: [],
          from: at.from,
          to: at.from + at.frames,
          tail: "none",
          endAt: null,
          whole: null,
          hasMix: false,
          tailFrames: 0,
          ends: "equal",
          leadFrames: 0,
          leadBars: 0,
          rate: to,
          depth,
          dither: false,
          timeReference: convertedFrame(at.from, rate, to),
        };
        const made = stampsOf(session, plan, file, { id: "s", date: new Date("2026-11-28T01:02:03Z") });
        expect(stampsOf(session, plan, file, { id: "s", date: new Date("2026-11-28T01:02:03Z") })).toEqual(made);

        const frames = convertedFrame(plan.to, rate, to) - plan.timeReference;
        const path = join(folder, `${n++}.wav`);
        const sink = new FileSink(path);
        const writer = new WavWriter(sink, {
          format: { rate: to, channels, depth },
          bext: made.bext,
          chunks: channels === 1 ? made.mono : made.stereo,
          ditherSeed: null,
        });
        const { left, right } = noise(frames, n, 0.5);
        writer.write(left, right, 0, frames);
        const bytes = writer.finish();
        sink.close();
        expect(statSync(path).size).toBe(bytes);

        const map = tempoMap(session.tempo, rate);
        const wanted = markers
          .map((m) => ({ frame: map.toFrames(m.tick), name: m.name }))
          .filter((m) => m.frame >= plan.from && m.frame < plan.to)
          .map((m) => [convertedFrame(m.frame, rate, to) - plan.timeReference, m.name]);
        const probe = JSON.parse(
          run("ffprobe", "-v", "error", "-of", "json", "-show_chapters", "-show_streams", path),
        ) as {
          chapters: Chapter[];
          streams: { duration_ts: number }[];
        };
        const sorted = (list: readonly (readonly (string | number)[])[]) => list.map((m) => m.join(" ")).sort();
        expect(sorted(probe.chapters.map((c) => [c.start, c.tags.title]))).toEqual(
          sorted(wanted as [number, string][]),
        );
        const cues = [...run("sndfile-info", path).matchAll(/Cue ID :.*Offset : +(\d+)/g)].map((m) => Number(m[1]));
        expect(cues).toEqual(wanted.map(([frame]) => Number(frame)).sort((a, b) => a - b));
        expect([probe.streams[0]!.duration_ts, Number(run("soxi", "-s", path))]).toEqual([frames, frames]);

        const [tags] = JSON.parse(run("exiftool", "-j", "-struct", "-api", "structformat=json", path)) as [
          { Bwfxml: { Project: string; FileUid: string; Speed: object; FileSet: object; TrackList: object } },
        ];
        expect(tags.Bwfxml).toMatchObject({
          Project: song,
          FileSet: { FamilyName: song },
          Speed: {
            FileSampleRate: to,
            TimestampSamplesSinceMidnightHi: 0,
            TimestampSamplesSinceMidnightLo: plan.timeReference,
          },
          TrackList: { TrackCount: channels, Track: { Name: title } },
        });

        const source = new FileSource(path);
        const back = WavReader.open(source);
        const l = new Float32Array(frames);
        back.read(0, frames, l, new Float32Array(frames), 0);
        const step = depth === "32f" ? 0 : depth === "24" ? 1 / 2 ** 23 : 1 / 2 ** 15;
        expect(l.every((v, i) => Math.abs(v - (left[i] as number)) <= step)).toBe(true);
        expect(back.bext?.timeReference).toBe(plan.timeReference);
        source.close();
      },
    ),
    { numRuns: 12, seed: 2 },
  );
});
