import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { aafCarries } from "../../core/formats/aaf/facts";
import { writeAaf } from "../../core/formats/aaf/write";
import { adlCarries } from "../../core/formats/adl/facts";
import { adlText, writeAdl } from "../../core/formats/adl/write";
import { MemorySink } from "../../core/formats/bytes/bytes";
import { dawprojectCarries, inGroups } from "../../core/formats/dawproject/facts";
import { writeDawproject } from "../../core/formats/dawproject/write";
import { midiCarries, writeMidiTimeline } from "../../core/formats/midi/timeline";
import { otioCarries } from "../../core/formats/otio/facts";
import { writeOtio } from "../../core/formats/otio/write";
import { PrintPool, planSessionFile } from "../../core/interchange/plan";
import { toTimeline } from "../../core/interchange/to-timeline";
import { dbToGain } from "../../core/math";
import { sessionFileSchema } from "../../core/session/document";
import { hashOf } from "../../core/testing/listen";
import { randomSessions } from "../../core/testing/random-session";
import { randomTimelines } from "../../core/testing/random-timeline";
import { wavOf } from "../../core/testing/wav-of";
import { tempoMap } from "../../core/time/tempo";
import type { Carries } from "../../core/timeline/carries";
import { fit } from "../../core/timeline/fit";
import type { Timeline, TimelineClip, TimelineTrack } from "../../core/timeline/timeline";
import { ZipWriter } from "../../server/packages/zip";
import { python, readersMissing } from "./readers/readers";
import { sayRefusals } from "../../core/words/refusals";
import { share } from "../setup/share";

/** Session files as libraries that are not ours read them: every clip to the frame. */
const why = readersMissing();
if (why !== null) console.warn(`Readers of session files by others are SKIPPED: ${why}`);

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-session-files-"));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const RUNS = share(60);

/** Where a receiver keeps a file, and the host and path of a URL of that folder. */
const FOLDERS: readonly (readonly [at: string, host?: string, path?: string])[] = [
  [""],
  ["/Users/ada/Mix ü #1", "", "/Users/ada/Mix ü #1"],
  ["D:\\Ton\\Mischung 100%\\", "", "/D:/Ton/Mischung 100%"],
  ["\\\\server\\share", "server", "/share"],
];

/** Random timelines, and random sessions told in a kind of file; what they print is as long as it may be. */
function timelines(carries: Carries, kind: string, { longest = 200_000 } = {}): readonly Timeline[] {
  const drawn = fc.sample(randomTimelines({ longest }), { numRuns: RUNS, seed: 1000 + kind.length });
  const sessions = fc.sample(randomSessions(), { numRuns: RUNS, seed: 2000 + kind.length });
  const told = sessions.map((session, i): Timeline => {
    const pool = new PrintPool(session);
    const print = (["nothing", "devices", "channels", "both"] as const)[i % 4] ?? "nothing";
    const plan = planSessionFile(session, carries, sessionFileSchema.parse({ kind: "aaf", print }), pool);
    if (!plan.ok) throw new Error(sayRefusals(plan.refusals));
    const prints = new Map(
      pool.prints.map((p, n) => [
        p.id,
        { from: p.from, frames: (p.to ?? p.from + 60_000) - p.from, channels: 2 as const, sha256: hashOf(800 + n) },
      ]),
    );
    const { timeline } = toTimeline(plan.value, prints);
    return { ...timeline, media: timeline.media.map((m, n) => ({ ...m, path: `Audio/file ${n}.wav` })) };
  });
  return [...drawn.map((t) => fit(t, carries).timeline), ...told];
}

const mediaOf = (timeline: Timeline, clip: TimelineClip) => timeline.media.find((m) => m.id === clip.media)!;
const clipsOf = (t: { readonly tracks: readonly TimelineTrack[] }) => t.tracks.reduce((n, k) => n + k.clips.length, 0);
const counted: string[] = [];
afterAll(() => console.log(counted.join("\n")));
const count = (kind: string, all: readonly Timeline[]) =>
  counted.push(`${kind}: ${all.length} sessions, ${all.reduce((n, t) => n + clipsOf(t), 0)} clips, 0 mismatches`);

describe("session files, taken apart by programs of the system", () => {
  test("AAF is a compound file to gsf and 7z, every stream of it; DAWproject is a ZIP of well-formed XML", async () => {
    const few = <T>(all: readonly T[]): readonly T[] => all.slice(0, 8);
    for (const [i, timeline] of few(timelines(aafCarries, "aaf", { longest: 20_000 })).entries()) {
      const path = join(folder, `own-${i}.aaf`);
      const sink = new MemorySink();
      const files = new Map(timeline.media.map((m) => [m.id, wavOf({ ...m, frames: Math.min(m.frames, 30_000) })]));
      writeAaf(timeline, sink, { media: "embedded", files, name: `${i}`, date: new Date(0) });
      writeFileSync(path, sink.bytes());
      const run = (program: string, ...args: string[]) => execFileSync(program, args, { encoding: "utf8" });
      const listed = run("gsf", "list", path).split("\n");
      // A stream of its own for the media of each file, with all its bytes.
      const essence = listed.filter((line) => /Data-2702/.test(line));
      expect(essence.length).toBe(timeline.media.length);
      expect(run("7z", "t", path)).toContain("Everything is Ok");
    }
    for (const [i, timeline] of few(timelines(dawprojectCarries, "dawproject")).entries()) {
      const path = join(folder, `own-${i}.dawproject`);
      const zip = await ZipWriter.create(path, new Date(0));
      for (const { name, bytes } of writeDawproject(timeline)) await zip.addBytes(name, bytes);
      await zip.finish();
      expect(execFileSync("7z", ["t", path], { encoding: "utf8" })).toContain("Everything is Ok");
      for (const name of ["project.xml", "metadata.xml"]) {
        const xml = execFileSync("unzip", ["-p", path, name]);
        execFileSync("xmllint", ["--noout", "--nonet", "-"], { input: xml });
      }
    }
  }, 60_000);
});

describe.skipIf(why !== null)("session files, read by others", () => {
  test("AAF: tracks, clips, offsets, fades, gains, volumes, pans, markers and media", () => {
    const all = timelines(aafCarries, "aaf", { longest: 20_000 });
    const files = all.map((timeline, i) => {
      const path = join(folder, `${i}.aaf`);
      const sink = new MemorySink();
      const media = i % 2 === 0 ? ("embedded" as const) : ("beside" as const);
      const of = new Map(timeline.media.map((m) => [m.id, wavOf({ ...m, frames: Math.min(m.frames, 30_000) })]));
      const [at] = FOLDERS[i % FOLDERS.length] as (typeof FOLDERS)[number];
      writeAaf(timeline, sink, { media, files: of, name: `${i}`, date: new Date(0), folder: at });
      writeFileSync(path, sink.bytes());
      return path;
    });
    const read = python("read_sessions.py", "aaf", ...files) as Record<string, any>[];
    all.forEach((timeline, i) => {
      const got = read[i]!;
      expect(got["name"]).toBe(timeline.name);
      expect(got["markers"]).toEqual(timeline.markers.map((m) => ({ frame: m.frame, name: m.name })));
      expect(got["tracks"].map((t: any) => t.name)).toEqual(timeline.tracks.map((t) => t.name));
      timeline.tracks.forEach((track, k) => {
        const other = got["tracks"][k];
        expect(other.rate).toBe(timeline.rate);
        const clips = track.clips.map((c, n) => ({
          start: c.start,
          frames: c.frames,
          offset: c.offset,
          fadeIn: c.fadeIn.frames,
          fadeOut: track.clips[n + 1]?.crossfade ? track.clips[n + 1]!.fadeIn.frames : c.fadeOut.frames,
          media: mediaOf(timeline, c).name,
          name: c.name,
        }));
        expect(other.clips.map(({ gain: _, ...c }: any) => c)).toEqual(clips);
        track.clips.forEach((c, n) => expect(other.clips[n].gain).toBeCloseTo(dbToGain(c.gainDb), 6));
        const [fader] = other.ops.filter((o: any) => o.op.includes("Gain"));
        const lane = track.lanes.find((l) => l.target === "fader");
        if (lane) {
          for (const p of lane.points) {
            const at = fader.points.find(([time]: [number]) => Math.round(time * fader.length) === p.frame);
            expect(at[1]).toBeCloseTo(dbToGain(p.value), 6);
          }
        } else expect(fader?.value ?? 1).toBeCloseTo(dbToGain(track.faderDb), 6);
        // The edit protocol has no pan for two channels.
        if (track.channels === 2) expect(other.ops.every((o: any) => !o.op.includes("Pan"))).toBe(true);
        const [pan] = other.ops.filter((o: any) => o.op.includes("Pan"));
        if (!track.lanes.some((l) => l.target === "pan")) expect(pan?.value ?? 0.5).toBeCloseTo((track.pan + 1) / 2, 6);
      });
      const used = timeline.media;
      expect(got["media"].map((m: any) => m.sha256).sort()).toEqual(used.map((m) => m.sha256).sort());
      if (i % 2 === 0) expect(got["media"].every((m: any) => typeof m.essence === "string")).toBe(true);
      else {
        expect(got["media"].map((m: any) => m.url).sort()).toEqual(used.map((m) => m.path).sort());
        const [, host, path] = FOLDERS[i % FOLDERS.length] as (typeof FOLDERS)[number];
        for (const m of got["media"])
          expect(m.absolute).toEqual(path === undefined ? [] : [[host, `${path}/${m.url}`]]);
      }
    });
    count("AAF", all);
  }, 240_000);

  test("OpenTimelineIO: tracks, clips, offsets, crossfades, markers and media", () => {
    const all = timelines(otioCarries, "otio");
    const files = all.map((timeline, i) => {
      const path = join(folder, `${i}.otio`);
      writeFileSync(path, writeOtio(timeline));
      return path;
    });
    const read = python("read_sessions.py", "otio", ...files) as Record<string, any>[];
    all.forEach((timeline, i) => {
      const got = read[i]!;
      const tracks = timeline.tracks.filter((t) => t.kind === "audio");
      expect(got["start"]).toBe(timeline.startFrames);
      expect(got["tracks"].map((t: any) => [t.name, t.enabled])).toEqual(tracks.map((t) => [t.name, !t.mute]));
      tracks.forEach((track, k) =>
        expect(got["tracks"][k].clips).toEqual(
          track.clips.map((c, n) => ({
            start: c.start,
            frames: c.frames,
            offset: c.offset,
            rate: timeline.rate,
            name: c.name,
            fadeIn: c.crossfade ? c.fadeIn.frames : null,
            fadeOut: track.clips[n + 1]?.crossfade ? c.fadeOut.frames : null,
            gainDb: c.gainDb,
            url: mediaOf(timeline, c).path,
            length: mediaOf(timeline, c).frames,
            sha256: mediaOf(timeline, c).sha256,
          })),
        ),
      );
    });
    count("OpenTimelineIO", all);
  }, 120_000);

  test("AES31 lists: every event by a parser that knows nothing of ours", () => {
    const all = timelines(adlCarries, "adl").filter((t) => t.tracks.length > 0);
    const files = all.map((timeline, i) => {
      const path = join(folder, `${i}.adl`);
      writeFileSync(path, writeAdl(timeline, `${i}`));
      return path;
    });
    const read = python("read_sessions.py", "adl", ...files) as Record<string, any>[];
    all.forEach((timeline, i) => {
      const got = read[i]!;
      expect([got["rate"], got["start"]]).toEqual([timeline.rate, timeline.startFrames]);
      let number = 1;
      const numbers = timeline.tracks.map((t) => {
        const first = number;
        number += t.channels;
        return first;
      });
      expect(timeline.tracks.map((_, k) => got["tracks"][numbers[k]!])).toEqual(
        timeline.tracks.map((t) => adlText(t.name)),
      );
      const events = timeline.tracks.flatMap((t, k) =>
        t.clips.map((c) => ({
          url: `URL:file://localhost/${mediaOf(timeline, c).path}`,
          length: mediaOf(timeline, c).frames,
          channels: c.channel === null ? (mediaOf(timeline, c).channels === 1 ? "1" : "1~2") : String(c.channel + 1),
          track: numbers[k],
          name: adlText(c.name),
          start: c.start,
          frames: c.frames,
          offset: c.offset,
          fadeIn: c.fadeIn.frames,
          fadeOut: c.fadeOut.frames,
          gainDb: c.gainDb,
        })),
      );
      expect(got["clips"]).toEqual(events);
    });
    count("AES31", all);
  }, 120_000);

  test("DAWproject: tracks, groups, sends, clips, notes, tempo", async () => {
    const all = timelines(dawprojectCarries, "dawproject");
    const files: string[] = [];
    for (const [i, timeline] of all.entries()) {
      const path = join(folder, `${i}.dawproject`);
      const zip = await ZipWriter.create(path, new Date(0));
      for (const { name, bytes } of writeDawproject(timeline)) await zip.addBytes(name, bytes);
      for (const m of timeline.media) await zip.addBytes(m.path ?? "", new Uint8Array(4));
      await zip.finish();
      files.push(path);
    }
    const read = python("read_sessions.py", "dawproject", ...files) as Record<string, any>[];
    all.forEach((timeline, i) => {
      const got = read[i]!;
      const names = new Map(timeline.tracks.map((t) => [t.id, t.name]));
      const tracks = inGroups(timeline.tracks);
      expect(got["tracks"].map((t: any) => [t.name, t.mute, t.group, t.lanes])).toEqual(
        tracks.map((t) => [
          t.name,
          t.mute,
          t.output === null ? null : names.get(t.output),
          t.lanes.map((l) => l.points.length),
        ]),
      );
      tracks.forEach((track, k) => {
        const other = got["tracks"][k];
        expect(other.volume).toBeCloseTo(dbToGain(track.faderDb), 9);
        expect(other.pan).toBeCloseTo((track.pan + 1) / 2, 9);
        expect(other.sends.map((s: any) => s.type)).toEqual(
          track.sends.map((s) => (s.position === "before fader" ? "pre" : "post")),
        );
        expect(other.clips.map(({ gain: _, ...c }: any) => c)).toEqual(
          track.clips.map((c) => ({
            start: c.start,
            frames: c.frames,
            offset: c.offset,
            fadeIn: c.fadeIn.frames,
            fadeOut: c.fadeOut.frames,
            name: c.name,
            file: mediaOf(timeline, c).path,
            there: true,
            length: mediaOf(timeline, c).frames,
          })),
        );
        expect(other.notes).toEqual(
          track.notes.flatMap((c) => c.notes.map((n) => [c.start + n.tick, n.ticks, n.pitch, n.velocity])),
        );
      });
      expect(got["tempo"]).toEqual(
        (timeline.tempo ?? []).map((p) => [p.tick, p.bpm, p.shape === "ramp" ? "linear" : "hold"]),
      );
    });
    count("DAWproject", all);
  }, 120_000);

  test("MIDI: every note at its tick, and in time to the millisecond whatever the tempo does", () => {
    const all = timelines(midiCarries, "midi");
    const files = all.map((timeline, i) => {
      const path = join(folder, `${i}.mid`);
      writeFileSync(path, writeMidiTimeline(timeline));
      return path;
    });
    const read = python("read_sessions.py", "midi", ...files) as Record<string, any>[];
    let notes = 0;
    all.forEach((timeline, i) => {
      const got = read[i]!;
      const tracks = timeline.tracks.filter((t) => t.kind === "notes");
      const byTick = (a: readonly number[], b: readonly number[]) =>
        a[0]! - b[0]! || a[1]! - b[1]! || a[2]! - b[2]! || a[3]! - b[3]!;
      const told = tracks.map((t) =>
        t.notes.flatMap((c) => c.notes.map((n) => [c.start + n.tick, n.ticks, n.pitch, n.velocity])).sort(byTick),
      );
      expect(got["tracks"].slice(1).map((t: any) => t.notes)).toEqual(told);
      const map = tempoMap(timeline.tempo!, timeline.rate);
      for (const [tick] of told.flat()) {
        let seconds = 0;
        let at = 0;
        let each = 500_000;
        for (const [when, tempo] of got["tempo"] as [number, number][]) {
          if (when > tick!) break;
          seconds += ((when - at) / 960) * (each / 1e6);
          [at, each] = [when, tempo];
        }
        seconds += ((tick! - at) / 960) * (each / 1e6);
        expect(Math.abs(seconds - map.toSeconds(tick!))).toBeLessThan(0.001);
        notes++;
      }
    });
    counted.push(`MIDI: ${all.length} sessions, ${notes} notes, 0 mismatches`);
  }, 120_000);
});
