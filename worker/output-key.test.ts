import { rmSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { afterAll, beforeAll, expect, inject, test } from "vitest";
import type { Manifest } from "../core/delivery/manifest";
import { planExport } from "../core/delivery/plan";
import type { Session, Sheet, StemRow } from "../core/session/document";
import { fresh } from "../tests/setup/fresh";
import type { Fresh } from "../tests/setup/fresh";
import { smallSession } from "../tests/setup/small-session";
import { makePackage } from "./delivery";
import { ThreadPool } from "./threads";

/** A file's key stands for its bytes: whatever is changed, of two files with one key and length the bytes are one. */
const DATE = new Date("2026-11-30T12:00:00Z");
let at: Fresh;
let pool: ThreadPool;
let small: Session;
beforeAll(async () => {
  at = await fresh();
  small = await smallSession(at);
  pool = new ThreadPool(pathToFileURL(join(inject("workerFolder"), "task.thread.mjs")));
});
afterAll(async () => {
  await pool.close();
  await at.close();
});

async function filesOf(session: Session): Promise<Manifest["files"]> {
  const planned = planExport(session, DATE);
  if (!planned.ok) throw new Error("refused");
  const made = await makePackage(
    {
      ...{ session, id: "keys", revision: 1, plan: planned.value, date: DATE, dataRoot: at.dataRoot, earlier: null },
      bundle: { prints: [], recipes: [], handoffs: [] },
    },
    { store: at.store, pool, threads: 2, signal: new AbortController().signal, report: () => undefined },
  );
  for (const path of [made.zipPath, ...(made.whole ? [made.whole.path] : [])]) rmSync(path, { force: true });
  return made.manifest.files;
}

const sheet =
  (patch: Partial<Sheet>) =>
  (s: Session): Session => ({ ...s, sheet: { ...s.sheet, ...patch } });
const row =
  (patch: Partial<StemRow>) =>
  (s: Session): Session => ({
    ...s,
    sheet: { ...s.sheet, rows: s.sheet.rows.map((r, i) => (i === 0 ? { ...r, ...patch } : r)) },
  });
const track =
  (id: string, patch: object) =>
  (s: Session): Session => ({
    ...s,
    tracks: s.tracks.map((t) => (t.id === id ? { ...t, ...patch } : t)),
  });

/** Every field of the sheet, of its rows, and of the document that may reach a file. */
const CHANGES: Readonly<Record<string, (s: Session) => Session>> = {
  "sheet from": sheet({ from: 960 }),
  "sheet to": sheet({ to: 1920 }),
  "no tail": sheet({ tail: "none" }),
  "a second of tail": sheet({ tail: "fixed", tailSeconds: 1 }),
  "two beats of tail": sheet({ tail: "beats", tailBeats: 2 }),
  "trimmed ends": sheet({ ends: "trimmed" }),
  "a bar in front": sheet({ leadInBars: 1 }),
  "44.1 kHz": sheet({ rate: 44100 }),
  "16 bits": sheet({ depth: "16" }),
  float: sheet({ depth: "32f" }),
  "no dither": sheet({ dither: false }),
  AIFF: sheet({ format: "aiff" }),
  FLAC: sheet({ format: "flac" }),
  "both mixes": sheet({ mixes: ["after its chain", "before its chain"] }),
  "an MP3 of the mix": sheet({ mixFormat: "mp3" }),
  "names of files": sheet({ fileName: [{ kind: "stem", text: "" }] }),
  "name of the folder": sheet({ folderName: [{ kind: "text", text: "other" }] }),
  version: sheet({ version: "7" }),
  key: sheet({ key: "Am" }),
  notes: sheet({ notes: "louder" }),
  receiver: sheet({ receiver: "x" }),
  "a row's tap": row({ tap: "devices" }),
  "a row's returns": row({ returns: true }),
  "a row's link": row({ linked: true }),
  "a row in mono": row({ channels: "mono" }),
  "a row in stereo": row({ channels: "stereo" }),
  "a row's name": row({ name: "Renamed" }),
  "a fader": track("surf", { faderDb: -9 }),
  "a pan": track("pad", { pan: -0.4 }),
  "a track's name": track("surf", { name: "Renamed" }),
  "another track muted": track("bars", { mute: true }),
  "the session's name": (s) => ({ ...s, name: "Renamed" }),
  "a marker": (s) => ({ ...s, markers: [...s.markers, { id: "new", name: "Here", tick: 960 }] }),
  tempo: (s) => ({ ...s, tempo: [{ tick: 0, bpm: 97, shape: "hold" }] }),
  "the lead-in": (s) => ({ ...s, leadIn: 960 }),
};

test("bytes are the same wherever key and length are, and differ where the key does", async () => {
  const seen = new Map<string, { readonly sha256: string; readonly by: string }>();
  const base = await filesOf(small);
  const changedForNothing: string[] = [];
  const take = (files: Manifest["files"], by: string) => {
    for (const { key, frames, sha256 } of files) {
      const before = seen.get(`${key} ${frames}`);
      expect([by, before?.by, before?.sha256 ?? sha256]).toEqual([by, before?.by, sha256]);
      seen.set(`${key} ${frames}`, { sha256, by });
    }
  };
  take(base, "as it is");
  expect((await filesOf(small)).map((f) => f.sha256)).toEqual(base.map((f) => f.sha256));
  for (const [what, change] of Object.entries(CHANGES)) {
    const files = await filesOf(change(small));
    take(files, what);
    const known = new Map(base.map((f) => [f.sha256, f.key]));
    if (files.some((f) => known.has(f.sha256) && known.get(f.sha256) !== f.key)) changedForNothing.push(what);
  }
  // What is asked for only where it makes a difference: ends that are where they were, sides that differ anyway.
  const conditional = ["trimmed ends", "a row in stereo"];
  expect(changedForNothing.filter((what) => !conditional.includes(what))).toEqual([]);
}, 240_000);
