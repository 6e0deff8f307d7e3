import { afterAll, beforeAll, expect, test } from "vitest";
import { WavReader } from "../../core/formats/wav/read";
import { makeAudioClip, makeSession, makeTrack } from "../../core/session/build";
import type { Session } from "../../core/session/document";
import { noise } from "../../core/testing/listen";
import { FileSource } from "../../server/audio/file-bytes";
import type { Fresh } from "../../tests/setup/fresh";
import { fresh, keep } from "../../tests/setup/fresh";
import { compareMixes, writeListening } from "./compare";

let at: Fresh;
let session: Session;
beforeAll(async () => {
  at = await fresh();
  const asset = await keep(at, "noise", noise(24000, 4, 0.5));
  session = makeSession({
    assets: [asset],
    tracks: [
      makeTrack({
        id: "t",
        name: "T",
        kind: "audio",
        clips: [makeAudioClip({ id: "c", asset: asset.id, start: 4800, frames: 24000 })],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
});
afterAll(() => at.close());

const faded = (faderDb: number): Session => ({
  ...session,
  tracks: session.tracks.map((t) => (t.id === "t" ? { ...t, faderDb } : t)),
});
const go = () => true;
const compare = (before: Session, after: Session) =>
  compareMixes({ kind: "compare", before, after, dataRoot: at.dataRoot, scratch: at.store.unfinished() }, go);
const samples = (path: string): Float32Array => {
  const source = new FileSource(path);
  const wav = WavReader.open(source);
  const left = new Float32Array(wav.frames);
  wav.read(0, wav.frames, left, new Float32Array(wav.frames), 0);
  source.close();
  return left;
};

test("two sessions that sound the same leave nothing; a fader 6.02 dB down leaves half, where it is loudest", async () => {
  expect(compare(session, { ...session, name: "Other" }).peakDb).toBeNull();
  const half = 20 * Math.log10(0.5);
  const { peakDb, at: place } = compare(session, faded(half));
  // Half of the loudest sample of the noise, wherever that is.
  const { before } = await listened(session, session);
  const peak = before.reduce((m, v) => Math.max(m, Math.abs(v)), 0);
  expect(peakDb).toBeCloseTo(20 * Math.log10(peak / 2), 2);
  expect(Math.abs(before[place]!)).toBe(peak);
});

const listened = async (before: Session, after: Session) => {
  const paths = { before: at.store.unfinished(), after: at.store.unfinished(), difference: at.store.unfinished() };
  const heard = await writeListening(
    { kind: "listen", before, after, from: 0, to: 48000, dataRoot: at.dataRoot, paths },
    go,
  );
  return {
    heard,
    before: samples(paths.before),
    after: samples(paths.after),
    difference: samples(paths.difference),
  };
};

test("before, after and their difference are written frame for frame", async () => {
  const { heard, before, after, difference } = await listened(session, faded(-12));
  expect([before.length, after.length, difference.length]).toEqual([48000, 48000, 48000]);
  difference.forEach((v, i) => {
    if (v !== Math.fround(after[i]! - before[i]!)) throw new Error(`frame ${i}`);
  });
  expect(heard.peakDb).toBeLessThan(0);
  expect((await listened(session, session)).heard.peakDb).toBeNull();
});

test("a comparison that is cancelled says so", () => {
  expect(() =>
    compareMixes(
      { kind: "compare", before: session, after: session, dataRoot: at.dataRoot, scratch: at.store.unfinished() },
      () => false,
    ),
  ).toThrow("cancelled");
});
