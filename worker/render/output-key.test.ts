import { randomUUID } from "node:crypto";
import { rmSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { afterAll, beforeAll, expect, inject, test } from "vitest";
import type { Manifest } from "../../core/delivery/manifest";
import { planExport } from "../../core/delivery/plan";
import { planPrint } from "../../core/printing/plan";
import { plainSlip, type Slip } from "../../core/printing/slip";
import type { Session, Sheet, StemRow } from "../../core/session/document";
import { prints } from "../../server/db/schema";
import { createSession } from "../../server/services/sessions";
import { fresh } from "../../tests/setup/fresh";
import type { Fresh } from "../../tests/setup/fresh";
import { smallSession } from "../../tests/setup/small-session";
import { makePackage } from "../delivery/make-package";
import type { StartedJob } from "../context/job-context";
import { printPass } from "../printing/prints";
import { ThreadPool } from "../threads/threads";
import { sayRefusals } from "../../core/words/refusals";

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

/** Every field of a slip, and of what it prints, that may reach a print's bytes; and those that may not. */
const SLIPS: Readonly<Record<string, Partial<Slip>>> = {
  "other tracks": { tracks: ["surf", "bars"] },
  "one clip": { tracks: ["pad"], clips: ["p2"] },
  "a phrase": { tracks: ["pad"], of: { what: "phrase", phrase: "chord" } },
  "the clips alone": { tracks: ["surf"], tap: "clip" },
  "through the channel": { tap: "channel" },
  "through the group": { tap: "group" },
  "through the mix": { tap: "mix" },
  "in front of a device": { tracks: ["pad"], before: "pc" },
  linked: { tap: "mix", linked: true },
  "with returns": { tap: "channel", returns: true },
  "automation out": { tap: "channel", automation: "out" },
  "one kind of automation out": { tap: "channel", automation: ["fader"] },
  "moves of a live pass": {
    tap: "channel",
    moves: [
      {
        track: "surf",
        lane: {
          target: "fader",
          of: null,
          param: null,
          points: [{ tick: 0, value: -20, shape: "hold" }],
          overrides: [],
        },
      },
    ] as unknown as Slip["moves"],
  },
  "from the first clip": { range: { by: "own" } },
  "a range": { range: { by: "stretch", from: 4800, to: 40_000 } },
  "a longer range": { range: { by: "stretch", from: 4800, to: 60_000 } },
  "each clip": { pieces: "each clip" },
  "each run": { pieces: "each run" },
  together: { together: true },
  "no tail": { tail: "none" },
  "beats of tail": { tail: { by: "beats", length: 1 } },
  "seconds of tail": { tail: { by: "seconds", length: 0.3 } },
  "a folded seam": { range: { by: "stretch", from: 4800, to: 40_000 }, seam: { by: "fold" } },
  "a crossfaded seam": { range: { by: "stretch", from: 4800, to: 40_000 }, seam: { by: "crossfade", frames: 480 } },
  stereo: { channels: "stereo" },
  mono: { channels: "mono" },
  "two mono": { channels: "two mono", placed: "shelf" },
  "44.1 kHz": { rate: 44100, placed: "shelf" },
  "96 kHz": { rate: 96000, placed: "shelf" },
  "24 bits": { depth: "24" },
  "16 bits": { depth: "16" },
  "a name": { name: "{track} again" },
  "24 bits under another name": { depth: "24", name: "{track} again" },
  "on the same track": { tracks: ["surf"], tap: "clip", placed: "same track", afterwards: "replace" },
  "on the shelf": { placed: "shelf" },
  "kept live": { afterwards: "keep live" },
  "at another tap as well": { also: [{ tap: "channel", before: null }] },
};

/** Every field that a print may depend on in the document. */
const DOCUMENTS: Readonly<Record<string, (s: Session) => Session>> = {
  "a fader": track("surf", { faderDb: -9 }),
  "a pan": track("pad", { pan: -0.4 }),
  "another track's key": track("surf", { devices: [] }),
  "a name": track("surf", { name: "Renamed" }),
  tempo: (s) => ({ ...s, tempo: [{ tick: 0, bpm: 97, shape: "hold" }] }),
  "the lead-in": (s) => ({ ...s, leadIn: 960 }),
};

test("a print's key stands for its bytes, whatever field of the slip or the document is changed", async () => {
  const seen = new Map<string, { readonly asset: string; readonly by: string }>();
  const plain = { ...plainSlip(["surf", "pad", "bars"]) };
  const printsOf = async (session: Session, slip: Slip, by: string) => {
    const planned = planPrint(session, slip, "2026-11-30");
    if (!planned.ok) throw new Error(`${by}: ${sayRefusals(planned.refusals)}`);
    const { id } = await createSession(at.db, session);
    await at.db.delete(prints);
    const rendered = await printPass(
      { id: randomUUID(), session: id } as StartedJob,
      {
        document: session,
        revision: 1,
        plan: planned.value,
        session: planned.value.session,
        pass: null,
        ofJob: (n) => n,
      },
      {
        ...{ db: at.db, store: at.store, dataRoot: at.dataRoot, pool, threads: 2 },
        ...{ signal: new AbortController().signal, busy: () => false, report: () => undefined },
      },
    );
    await at.db.transaction((tx) => rendered.keep(tx));
    const made = await at.db.select({ key: prints.fingerprint, asset: prints.asset }).from(prints);
    for (const { key, asset } of made) {
      const before = seen.get(key);
      expect([by, before?.by, before?.asset ?? asset]).toEqual([by, before?.by, asset]);
      seen.set(key, { asset, by });
    }
    return made;
  };
  const changedForNothing: string[] = [];
  const base = new Map((await printsOf(small, plain, "as it is")).map((p) => [p.asset, p.key]));
  const compare = async (session: Session, slip: Slip, by: string) => {
    const made = await printsOf(session, slip, by);
    expect([by, made.length > 0]).toEqual([by, true]);
    if (made.some(({ asset, key }) => base.has(asset) && base.get(asset) !== key)) changedForNothing.push(by);
  };
  for (const [by, patch] of Object.entries(SLIPS)) await compare(small, { ...plain, ...patch }, `slip: ${by}`);
  for (const [by, change] of Object.entries(DOCUMENTS)) await compare(change(small), plain, `document: ${by}`);
  expect(seen.size).toBeGreaterThan(40);
  // Asked for only where it makes a difference: a first clip at zero, one run, sides that differ anyway. Files that end
  // together are asked for together: each depends on the tails of the others.
  const conditional = [
    ...["slip: from the first clip", "slip: each run", "slip: stereo"],
    "document: another track's key",
  ];
  expect(changedForNothing.filter((by) => !conditional.includes(by))).toEqual([]);
}, 240_000);
