import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { readAaf } from "../../core/formats/aaf/read";
import { MemorySource, bytesAt } from "../../core/formats/bytes/bytes";
import { readMidiTimeline } from "../../core/formats/midi/timeline";
import { readOtio } from "../../core/formats/otio/read";
import { WavReader } from "../../core/formats/wav/read";
import { dbToGain } from "../../core/math";
import { python, readersMissing } from "./readers/readers";
import { share } from "../setup/share";

/** Session files that libraries of others wrote, in the shapes that programs write, read here. */
const why = readersMissing();
if (why !== null) console.warn(`Writers of session files by others are SKIPPED: ${why}`);

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-writers-"));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const written = (kind: string, count: number): any[] =>
  python("write_sessions.py", kind, join(folder, kind), String(count), "7") as any[];

describe.skipIf(why !== null)("session files by others", () => {
  test("AAF: embedded and linked media, mono pairs of a stereo file, other edit rates, nested effects, missing media", () => {
    let clips = 0;
    for (const told of written("aaf", share(50))) {
      const { timeline, losses, embedded } = readAaf(new MemorySource(readFileSync(told.path)));
      expect(timeline.rate).toBe(48000);
      const media = new Map(timeline.media.map((m) => [m.id, m]));
      expect(timeline.tracks.map((t) => t.name)).toEqual(told.tracks.map((t: any) => t.name));
      told.tracks.forEach((track: any, i: number) => {
        const read = timeline.tracks[i]!.clips;
        expect(read).toHaveLength(track.clips.length);
        track.clips.forEach((c: any, k: number) => {
          const got = read[k]!;
          expect({ start: got.start, frames: got.frames, offset: got.offset }).toEqual({
            start: c.start,
            frames: c.frames,
            offset: c.offset,
          });
          expect([got.fadeIn.frames, got.fadeOut.frames]).toEqual([c.fadeIn, c.fadeOut]);
          expect(dbToGain(got.gainDb)).toBeCloseTo(c.gain, 4);
          if (c.name === null) expect(media.get(got.media)?.path).toBe("a file");
          else {
            expect(got.name).toBe(c.name);
            if (c.channel !== null) expect(got.channel).toBe(c.channel);
            expect(media.get(got.media)?.channels).toBe(told.shape === "pairs" ? 2 : 1);
            if (told.shape === "linked" || told.shape === "pairs")
              expect(media.get(got.media)?.path).toBe(`/Volumes/Disk 1/${c.file}`);
          }
          clips++;
        });
      });
      // What is inside is the very sound that was put in.
      for (const [id, source] of embedded) {
        const name = media.get(id)?.name ?? "";
        const n = told.path.replace(/^.*\/(\d+)\.aaf$/, "$1") as string;
        const original = new MemorySource(readFileSync(join(folder, "aaf", `${n}-${name}.wav`)));
        const [a, b] = [WavReader.open(source), WavReader.open(original)];
        expect([a.frames, a.format]).toEqual([b.frames, b.format]);
        const [x, y] = [new Uint8Array(a.frames * 2), new Uint8Array(a.frames * 2)];
        a.copy(0, x);
        b.copy(0, y);
        expect(Buffer.compare(x, y)).toBe(0);
      }
      if (told.shape === "embedded") expect(embedded.size).toBeGreaterThan(0);
      expect(losses.every((l) => l.count > 0)).toBe(true);
    }
    console.log(`AAF of others: 100 files, ${clips} clips, 0 mismatches`);
  }, 240_000);

  test("OpenTimelineIO: picture rates, gaps, transitions, nests with windows", () => {
    let clips = 0;
    for (const told of written("otio", share(100))) {
      const { timeline } = readOtio(readFileSync(told.path, "utf8"));
      const exact = (v: number, rate: number) => Math.round((v * timeline.rate) / rate);
      const read = timeline.tracks.flatMap((t) =>
        t.clips.map((c) => ({ track: t.name.replace(/ \(\d+\)$/, ""), ...c })),
      );
      for (const c of told.clips) {
        if (c.fuzzy) continue;
        const places = [c.begin, c.end, c.offset].map((v: number) => exact(v, c.rate));
        const [begin, end, offset] = places as [number, number, number];
        const found = read.find(
          (x) =>
            x.track === c.track &&
            x.name === c.name &&
            Math.abs(x.start - begin) <= 1 &&
            Math.abs(x.start + x.frames - end) <= 1 &&
            Math.abs(x.offset - offset) <= 1,
        );
        expect([told.path, c, found !== undefined]).toEqual([told.path, c, true]);
        clips++;
      }
    }
    console.log(`OpenTimelineIO of others: 100 files, ${clips} clips, 0 mismatches`);
  }, 120_000);

  test("MIDI: any division, notes that end either way", () => {
    let notes = 0;
    for (const told of written("midi", share(100))) {
      const file = readFileSync(told.path);
      const { timeline } = readMidiTimeline(bytesAt(new MemorySource(file), 0, file.length), "x");
      const scaled = (tick: number) => Math.round((tick * 960) / told.division);
      told.tracks.forEach((track: any, i: number) => {
        const order = (a: number[], b: number[]) => a[0]! - b[0]! || a[2]! - b[2]! || a[1]! - b[1]!;
        const read = timeline.tracks[i]!.notes.flatMap((c) =>
          c.notes.map((n) => [c.start + n.tick, n.ticks, n.pitch, n.velocity]),
        ).sort(order);
        const expected = track.notes
          .map(([tick, ticks, pitch, velocity]: number[]) => [
            scaled(tick!),
            Math.max(1, scaled(tick! + ticks!) - scaled(tick!)),
            pitch!,
            velocity!,
          ])
          .sort(order);
        expect(read).toEqual(expected);
        notes += expected.length;
      });
    }
    console.log(`MIDI of others: 100 files, ${notes} notes, 0 mismatches`);
  }, 60_000);
});
