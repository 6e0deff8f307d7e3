import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, describe, expect, test } from "vitest";
import { Meter } from "../../core/analysis/measure";
import type { AudioReader } from "../../core/audio/audio-reader";
import type { Asset } from "../../core/session/document";
import { checkSession } from "../../core/session/check";
import { reshapeKey, reshapes } from "../../core/session/clips";
import { reshapeAudio } from "../../core/stretch/reshape";
import { makeStretcher } from "../../core/stretch/stretcher";
import { preflight } from "../../core/delivery/preflight";
import type { Heard } from "../../core/testing/listen";
import { MIX_OUT, hashOf, joined, listen, memoryLibrary, tapAt } from "../../core/testing/listen";
import { demoRecordings, harbourLamps } from "../../demo/harbour-lamps";
import type { DemoAudio } from "../../demo/harbour-lamps";
import { largeSession } from "../../demo/large-session";
import { writeWav } from "../setup/fresh";

const RATE = 48000;
const made = demoRecordings();
const recordings = Object.entries(made);
const kept = new Map<string, Heard>(recordings.map(([, r], i) => [hashOf(i + 1), r]));
const assets = Object.fromEntries(
  recordings.map(([name, r], i): [string, Asset] => [
    name,
    { id: hashOf(i + 1), name: r.name, frames: r.left.length, rate: RATE, channels: 2, origin: "generated" },
  ]),
) as DemoAudio;
const session = harbourLamps(assets);

const folder = mkdtempSync(join(tmpdir(), "stemzo-demo-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

async function library(): Promise<(hash: string, reshape?: Parameters<typeof reshapeKey>[0] | null) => AudioReader> {
  const find = (key: string) => memoryLibrary(Object.fromEntries(kept))(key);
  for (const reshape of reshapes(session)) {
    const parts: { left: Float32Array[]; right: Float32Array[] } = { left: [], right: [] };
    reshapeAudio(find(reshape.asset), reshape, await makeStretcher(RATE), (l, r, offset, n) => {
      parts.left.push(l.slice(offset, offset + n));
      parts.right.push(r.slice(offset, offset + n));
    });
    kept.set(reshapeKey(reshape), { left: joined(parts.left), right: joined(parts.right) });
  }
  return (hash, reshape) => find(reshape ? reshapeKey(reshape) : hash);
}

describe("Harbour Lamps", () => {
  test("is a legal session of at least fourteen tracks, with its mistakes in it", () => {
    expect(checkSession(session)).toEqual([]);
    expect(session.tracks.filter((t) => t.kind === "audio" || t.kind === "instrument").length).toBeGreaterThanOrEqual(
      13,
    );
    expect(session.tracks.length).toBeGreaterThanOrEqual(18);
    const found = preflight(session, () => "n").map((f) => f.id);
    for (const id of ["absent-worn-tape", "nameless", "stray-rigging-stray"]) expect(found).toContain(id);
    expect(session.tracks.some((t) => t.mute)).toBe(true);
    const { left, right } = made.breath;
    expect(left).toEqual(right);
    // The bell's first stroke comes with the clip's first frame, under a fade.
    const first = session.tracks.find((t) => t.id === "buoy")!.clips[0]!;
    expect(first.kind === "audio" && first.offset === 0 && first.fadeIn.frames > 2000).toBe(true);
    expect(Math.max(...made.buoy.left.subarray(0, 2000).map(Math.abs))).toBeGreaterThan(0.2);
  });

  test("its mix is as loud as it should be, and ffmpeg's meter says of every stem what ours says", async () => {
    const tracks = session.tracks.filter((t) => t.kind !== "mix" && t.kind !== "group" && !t.mute);
    const heard = listen(session, [MIX_OUT, ...tracks.map((t) => tapAt("group", t.id))], {
      library: await library(),
      from: 18 * RATE,
      to: 34 * RATE,
      tail: "none",
    });
    heard.forEach((h, i) => {
      const meter = new Meter(RATE);
      meter.push(h.left, h.right, 0, h.left.length);
      const ours = meter.finish();
      const path = join(folder, `${i}.wav`);
      writeWav(path, h);
      const said = execFileSync(
        "bash",
        ["-c", `ffmpeg -hide_banner -nostats -i "${path}" -af ebur128=peak=true -f null - 2>&1`],
        { encoding: "utf8" },
      );
      const figure = (name: string) =>
        Number(new RegExp(`${name}:\\s+(-?[\\d.]+)`).exec(said.slice(said.lastIndexOf("Summary:")))?.[1]);
      const name = i === 0 ? "mix" : tracks[i - 1]!.id;
      expect(Math.abs(ours.lufs! - figure("I")), name).toBeLessThanOrEqual(0.1);
      expect(Math.abs(ours.truePeakDb! - figure("Peak")), name).toBeLessThanOrEqual(0.2);
      if (i > 0) return;
      expect(Math.abs(ours.lufs! + 16)).toBeLessThanOrEqual(2);
      expect(ours.truePeakDb).toBeLessThan(-1);
    });
  });
});

test("large sessions are legal, as large as asked, and the same every time", () => {
  const audio = Object.values(assets).filter((a) => a.frames > 5 * RATE);
  for (const [tracks, clips] of [
    [48, 500],
    [200, 10_000],
  ] as const) {
    const large = largeSession({ tracks, clips, audio, rate: RATE });
    expect(checkSession(large)).toEqual([]);
    expect(large.tracks.filter((t) => t.kind === "audio").length).toBe(tracks);
    expect(large.tracks.reduce((n, t) => n + t.clips.length, 0)).toBe(clips);
    expect(largeSession({ tracks, clips, audio, rate: RATE })).toEqual(large);
  }
});
