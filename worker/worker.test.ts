/** Long because all of it shares one render process: starting one takes longer than most of these tests. */

import type { ChildProcess } from "node:child_process";
import { createHash } from "node:crypto";
import { readFileSync, readdirSync, renameSync, rmSync, statSync, statfsSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { afterAll, beforeAll, describe, expect, inject, test } from "vitest";
import { FIRST_PAD_NOTE } from "../core/devices/kit";
import type { Tap } from "../core/engine/tap";
import { MIX_AFTER } from "../core/engine/tap";
import { makeDevice, makeLane, makeNoteClip, makeTrack } from "../core/session/build";
import type { Session } from "../core/session/document";
import type { DemoAudio } from "../demo/harbour-lamps";
import { harbourLamps } from "../demo/harbour-lamps";
import { noise } from "../core/testing/listen";
import { writePackage } from "../server/packages/write";
import { openPackage } from "../server/packages/read";
import type { JobRequest } from "../contract/job-kinds";
import type { Slip } from "../core/printing/slip";
import { plainSlip } from "../core/printing/slip";
import { slipSchema } from "../core/printing/slip-schema";
import { readAudio } from "../server/services/audio";
import {
  changesSince,
  commit,
  listPrints,
  reopen,
  requestListening,
  requestRefresh,
  unfreeze,
} from "../server/services/prints";
import { readHandoff } from "../server/services/handoffs";
import { cancelJob, requestJob } from "../server/services/jobs";
import { createSession, documentAt, readState } from "../server/services/sessions";
import { postSteps, travel } from "../server/services/steps";
import { prints } from "../server/db/schema";
import { checkpointFolder } from "../server/paths";
import { fresh, keep } from "../tests/setup/fresh";
import type { Fresh } from "../tests/setup/fresh";
import { crowded, ended, over, proven, startRenderProcess, until } from "../tests/setup/render-process";
import { smallSession, withLateClip } from "../tests/setup/small-session";
import { dividePass } from "../core/engine/split";
import { ThreadPool } from "./threads/threads";
import type { OutputFile } from "./files/output-file";
import type { RenderTask } from "./render/render-files";
import { TaskFailed } from "./threads/thread-messages";

let at: Fresh;
let small: Session;
let long: Session;
beforeAll(async () => {
  at = await fresh();
  small = await smallSession(at);
  const hiss = (seed: number) => keep(at, "hiss", noise(48000 * 41, seed, 0.1));
  const names = [
    "water",
    "rigging",
    "buoy",
    "gulls",
    "rope",
    "breath",
    "bowed",
    "skin",
    "air",
    "slapSoft",
    "slapHard",
    "shaker",
    "wood",
    "shells",
  ] as const;
  const one = await hiss(2);
  long = { ...harbourLamps(Object.fromEntries(names.map((n) => [n, one])) as DemoAudio), assets: [one] };
});
afterAll(async () => {
  // One query at a time on a connection, everywhere.
  expect(crowded).toEqual([]);
  await at.close();
});

const unfinished = () => readdirSync(`${at.dataRoot}/unfinished`);
const fileOf = (tap: Tap): OutputFile => ({
  tap,
  path: at.store.unfinished(),
  format: { rate: 48000, channels: 2, depth: "24" },
  ditherSeed: 9,
  foldMono: true,
  bext: {
    description: "",
    originator: "",
    originatorReference: "",
    originationDate: "",
    originationTime: "",
    timeReference: 0,
    loudness: null,
  },
});
const slipOf = (tracks: readonly string[], more: Partial<Slip> = {}) =>
  slipSchema.parse({ ...plainSlip(tracks), ...more });
const trackOf = async (session: string, id: string) =>
  (await readState(at.db, session)).document.tracks.find((t) => t.id === id);

describe("threads", () => {
  let pool: ThreadPool;
  beforeAll(() => {
    pool = new ThreadPool(pathToFileURL(join(inject("workerFolder"), "task.thread.mjs")));
  });
  afterAll(() => pool.close());
  const never = new AbortController().signal;
  const task = (session: Session, blockFrames?: number): RenderTask => ({
    kind: "render",
    session,
    from: 0,
    to: 96000,
    tail: "measured",
    dataRoot: at.dataRoot,
    ...(blockFrames === undefined ? {} : { blockFrames }),
    files: [
      ...session.tracks
        .filter((t) => t.kind !== "mix")
        .map((t) => ({ kind: "path", sources: [t.id], at: "group", returns: false, linked: false }) as const),
      MIX_AFTER,
    ].map(fileOf),
  });

  test("one to four threads, blocks of 64, 512 or 4096: the files are the same byte for byte", async () => {
    const bytes = async (threads: number, block: number) =>
      (await pool.render(task(small, block), threads, { signal: never })).map((f) => {
        const file = readFileSync(f.path);
        // Sealed as it is at last, by whichever thread.
        expect([f.bytes, f.sha256]).toEqual([file.length, createHash("sha256").update(file).digest("hex")]);
        return file;
      });
    const reference = await bytes(1, 512);
    expect(reference.length).toBe(6);
    for (const [threads, block] of [
      [2, 512],
      [1, 64],
      [2, 64],
      [1, 4096],
      [2, 4096],
      [3, 512],
      [4, 512],
      [4, 64],
    ] as const) {
      (await bytes(threads, block)).forEach((b, i) => expect(b.equals(reference[i]!)).toBe(true));
    }
  });

  test("a mix of many tracks is divided between two, three and four threads: the same bytes, a failure of any named, a cancel heard", async () => {
    const tracks = Array.from({ length: 20 }, (_, i) => ({
      ...small.tracks.find((t) => t.id === "surf")!,
      id: `w${i}`,
      name: `W${i}`,
      sends: [],
      faderDb: -6 - i,
    }));
    const wide: Session = { ...small, tracks: [...tracks, ...small.tracks] };
    const mix = (session: Session): RenderTask => ({ ...task(session), files: task(session).files.slice(-1) });
    const bytes = async (threads: number) =>
      readFileSync((await pool.render(mix(wide), threads, { signal: never }))[0]!.path);
    const alone = await bytes(1);
    for (const threads of [2, 3, 4]) {
      // The mix alone: what three and four threads have to do is taken from its tracks.
      expect(dividePass(wide, [MIX_AFTER], threads)!.helpers.length).toBe(threads - 1);
      expect((await bytes(threads)).equals(alone)).toBe(true);
    }
    const before = unfinished().length;
    for (const [broken, threads] of [
      ["w1", 2],
      ["w9", 2],
      ["w4", 4],
      ["w12", 3],
    ] as const) {
      const gone: Session = {
        ...wide,
        tracks: wide.tracks.map((t) =>
          t.id === broken
            ? { ...t, clips: t.clips.map((c) => (c.kind === "audio" ? { ...c, asset: "0".repeat(64) } : c)) }
            : t,
        ),
      };
      await expect(pool.render(mix(gone), threads, { signal: never })).rejects.toMatchObject({
        fault: { kind: "missing audio" },
      });
    }
    const controller = new AbortController();
    const running = pool.render({ ...mix(wide), to: 48000 * 600, tail: "none" }, 4, { signal: controller.signal });
    setTimeout(() => controller.abort(), 50);
    await expect(running).rejects.toMatchObject({ fault: { kind: "cancelled" } });
    expect(unfinished().length).toBe(before);
  });

  test("both channels the same: one channel is left, at any number of threads, and its digest is of that", async () => {
    const surf = small.tracks.find((t) => t.id === "surf")!;
    const narrow: Session = {
      ...small,
      tracks: [
        { ...surf, sends: [], devices: [makeDevice("narrow", "utility", { mono: 1 })] },
        ...small.tracks.filter((t) => t.kind === "mix"),
      ],
    };
    for (const threads of [1, 2, 3]) {
      const [one] = await pool.render(task(narrow), threads, { signal: never });
      const file = readFileSync(one!.path);
      expect([one!.format.channels, file.readUInt16LE(file.indexOf("fmt ") + 10)]).toEqual([1, 1]);
      expect(one!.sha256).toBe(createHash("sha256").update(file).digest("hex"));
    }
  });

  test("a task that hears nothing is ended within two seconds of its cancel, one that gets no further after its time, and others go on", async () => {
    const lost = new ThreadPool(new URL("data:text/javascript,for(;;){}"));
    const stuck = (signal: AbortSignal, stallMs?: number) =>
      lost
        .run<"seal">(
          { kind: "seal", path: "", fold: true, frames: 1 },
          { signal, ...(stallMs === undefined ? {} : { stallMs }) },
        )
        .catch((e: unknown) => e);
    const controller = new AbortController();
    const cancelled = stuck(controller.signal);
    await new Promise((r) => setTimeout(r, 300));
    const began = performance.now();
    controller.abort();
    expect(await cancelled).toMatchObject({ fault: { kind: "cancelled" } });
    expect(performance.now() - began).toBeLessThan(2000);
    expect(await stuck(never, 500)).toMatchObject({
      fault: { message: expect.stringContaining("without getting any further") as string },
    });
    await lost.close();
  });

  test("what the disk has no room for is not begun", async () => {
    const { bsize, blocks } = statfsSync(at.dataRoot);
    const frames = Math.ceil((bsize * blocks) / 6);
    await expect(
      pool.render(
        {
          ...task(small),
          to: Math.min(frames, 23 * 3600 * 48000),
          files: Array.from({ length: 900 }, () => fileOf(MIX_AFTER)),
        },
        1,
        { signal: never },
      ),
    ).rejects.toMatchObject({ fault: { kind: "no room" } });
  });

  test("a device that fails on one thread stops the others, says which it was, and leaves no file", async () => {
    const before = unfinished().length;
    const gone: Session = {
      ...small,
      tracks: small.tracks.map((t) =>
        t.id === "surf"
          ? { ...t, clips: t.clips.map((c) => (c.kind === "audio" ? { ...c, asset: "0".repeat(64) } : c)) }
          : t,
      ),
    };
    const failure = await pool.render(task(gone), 2, { signal: never }).catch((e: unknown) => e);
    expect(failure).toBeInstanceOf(TaskFailed);
    expect((failure as TaskFailed).fault.kind).toBe("missing audio");
    expect(unfinished().length).toBe(before);
  });
});

describe("the render process", () => {
  let child: ChildProcess;
  beforeAll(async () => {
    child = await startRenderProcess(at);
  });
  afterAll(async () => {
    child.kill("SIGTERM");
    await ended(child);
  });

  test("freezes tracks in one job, and an equal print is taken from the cache the next time", async () => {
    const { id } = await createSession(at.db, small);
    const job = await over(at, (await requestJob(at.db, id, { kind: "freeze", tracks: ["pad", "surf"] })).id);
    expect(job).toMatchObject({ status: "done", attempts: 1, result: { kind: "freeze" } });
    const state = await readState(at.db, id);
    expect(state).toMatchObject({ revision: 1, undo: "Freeze Pad, Surf" });
    expect(state.document.tracks.filter((t) => t.frozen).map((t) => t.id)).toEqual(["surf", "pad"]);
    await travel(at.db, id, "undo");
    expect((await readState(at.db, id)).document).toEqual(small);
    const again = await over(at, (await requestJob(at.db, id, { kind: "freeze", tracks: ["pad"] })).id);
    expect(again.result).toMatchObject({ speed: null, prints: [{ track: "pad", reused: true }] });
  });

  test("after a late edit a freeze is rendered from there on, and is the same file as a whole one", async () => {
    const long: Session = withLateClip(small, 40);
    const mended: Session = withLateClip(small, 41);
    const whole = await createSession(at.db, mended);
    const frozen = async (id: string) =>
      (await over(at, (await requestJob(at.db, id, { kind: "freeze", tracks: ["surf"] })).id)).result;
    // Without anything to go on from: the cache holds what is made afterwards.
    const first = await frozen(whole.id);
    await at.db.delete(prints);
    rmSync(checkpointFolder(at.dataRoot), { recursive: true, force: true });
    const { id } = await createSession(at.db, long);
    expect(await frozen(id)).toMatchObject({ since: null });
    const other = await createSession(at.db, mended);
    const again = await frozen(other.id);
    expect(again).toMatchObject({ since: { at: expect.any(Number) as number } });
    const assetOf = (result: typeof again) => (result?.kind === "freeze" ? result.prints[0]?.asset : "");
    expect(assetOf(again)).toBe(assetOf(first));
  });

  test("commit keeps the source parked beside its print, unfreeze brings it back, both undo", async () => {
    const { id } = await createSession(at.db, small);
    await over(at, (await requestJob(at.db, id, { kind: "freeze", tracks: ["pad"] })).id);
    await unfreeze(at.db, id, ["pad"]);
    expect(await trackOf(id, "pad")).toMatchObject({ frozen: null, parked: false });
    await travel(at.db, id, "undo");
    await commit(at.db, id, ["pad"]);
    const { document } = await readState(at.db, id);
    const index = document.tracks.findIndex((t) => t.id === "pad");
    expect(document.tracks[index]).toMatchObject({ parked: true, frozen: null });
    expect(document.tracks[index - 1]).toMatchObject({ kind: "audio", name: "Pad", output: "air", devices: [] });
    await travel(at.db, id, "undo");
    expect((await trackOf(id, "pad"))?.frozen).not.toBeNull();
  });

  test("refuses a silent print, says why, and leaves the session as it was", async () => {
    const mute = {
      ...small,
      tracks: small.tracks.map((t) =>
        t.id === "pad" ? { ...t, devices: t.devices.map((d, i) => (i === 0 ? { ...d, on: false } : d)) } : t,
      ),
    };
    const { id } = await createSession(at.db, mute);
    const job = await over(at, (await requestJob(at.db, id, { kind: "freeze", tracks: ["pad"] })).id);
    expect(job.fault?.what).toBe('The print of "Pad" is silent: its instrument is switched off.');
    expect(await readState(at.db, id)).toMatchObject({ revision: 0, document: mute });
  });

  test("measures the load of every track; frozen, the expensive synth costs less (how much, `npm run speed` says)", async () => {
    const solo: Session = {
      ...long,
      tracks: long.tracks
        .filter((t) => t.id === "pad" || t.id === "mix")
        .map((t) =>
          t.id === "pad"
            ? { ...t, output: "mix", sends: [], clips: t.clips.slice(0, 1), devices: t.devices.slice(0, 1) }
            : t,
        ),
      sheet: { ...long.sheet, rows: [] },
    };
    const { id } = await createSession(at.db, solo);
    const loadOf = async () => {
      await over(at, (await requestJob(at.db, id, { kind: "load" })).id);
      return (await readState(at.db, id)).load!.tracks["pad"]!;
    };
    const live = await loadOf();
    await over(at, (await requestJob(at.db, id, { kind: "freeze", tracks: ["pad"] })).id);
    const frozen = await loadOf();
    expect(frozen).toBeGreaterThan(0);
    expect(frozen).toBeLessThan(live);
  });

  test("a clip months away fills no disk: what would be rendered is refused at once, with the reason", async () => {
    const far: Session = {
      ...small,
      tracks: small.tracks.map((t) =>
        t.id === "surf" ? { ...t, clips: t.clips.map((c) => (c.kind === "audio" ? { ...c, start: 2 ** 40 } : c)) } : t,
      ),
    };
    const { id } = await createSession(at.db, far);
    for (const request of [
      { kind: "freeze", tracks: ["surf"] },
      { kind: "export", since: null, full: true, only: null },
      { kind: "print", slip: slipOf(["surf"]) },
    ] satisfies JobRequest[]) {
      await expect(requestJob(at.db, id, request)).rejects.toMatchObject({
        fault: { problems: [{ what: expect.stringContaining("at most 24 hours are rendered") as string }] },
      });
    }
  });

  test("exports a package whose proof, read back from it, is right", async () => {
    const { id } = await createSession(at.db, { ...small, sheet: { ...small.sheet, depth: "32f", rate: 44100 } });
    const job = await over(
      at,
      (await requestJob(at.db, id, { kind: "export", since: null, full: true, only: null })).id,
    );
    expect(job.fault).toBeNull();
    // The package is there before its proof.
    expect((await readHandoff(at.db, job.id)).bytes).toBe(statSync(at.store.packages.path(job.id)).size);
    const { proof } = await proven(at, job.id);
    expect(proof.verdict.mark).toBe("right");
    expect(proof.residual?.peakDb ?? -Infinity).toBeLessThanOrEqual(-120);
    expect(proof.files.every((f) => f.offsetFrames === 0)).toBe(true);
    const delivered = await openPackage(at.store.packages.path(job.id));
    expect([...delivered.entries.keys()]).toEqual([
      "01 Surf.wav",
      "02 Pad.wav",
      "03 Bars.wav",
      "04 Hall.wav",
      "Small reference mix.wav",
      "Small sheet.html",
      "Small sheet.csv",
      "Small tempo map.mid",
      "Small sheet.pdf",
    ]);
    expect(delivered.hashListAgrees).toBe(true);
    expect(proof.verdict.beside).toEqual({
      mark: "right",
      text: "sheet, table, tempo map, printed sheet and hashes as promised",
    });
    expect(delivered.manifest.rate).toBe(44100);
    delivered.close();
    expect(unfinished().filter((f) => f.endsWith(".sealed"))).toEqual([]);
  });

  test("a package whose papers were changed, taken out or added to is proven wrong, and says which", async () => {
    const { id } = await createSession(at.db, small);
    const job = await over(
      at,
      (await requestJob(at.db, id, { kind: "export", since: null, full: true, only: null })).id,
    );
    await proven(at, job.id);
    const path = at.store.packages.path(job.id);
    const whole = await openPackage(path);
    const bytesOf = (name: string) => {
      const { source } = whole.entries.get(name)!;
      const bytes = new Uint8Array(source.size);
      source.read(0, bytes);
      return bytes;
    };
    const files = whole.manifest.files.map(({ name, bytes }) => {
      const out = at.store.unfinished();
      writeFileSync(out, bytesOf(name));
      return { path: out, start: 0, name, bytes };
    });
    const [page, , map] = whole.manifest.papers.map(({ name }) => ({ name, bytes: bytesOf(name) }));
    page!.bytes[page!.bytes.length - 2] = 0x20;
    const spoilt = at.store.unfinished();
    await writePackage(spoilt, files, [page!, map!, { name: "x.txt", bytes: new Uint8Array(1) }], whole.manifest, {
      date: new Date(),
      signal: new AbortController().signal,
      onBytes: () => undefined,
    });
    whole.close();
    renameSync(spoilt, path);
    for (const f of files) rmSync(f.path);
    const again = await over(at, (await requestJob(at.db, id, { kind: "prove", handoff: job.id })).id);
    expect(again.result).toMatchObject({ mark: "wrong" });
    expect((await readHandoff(at.db, job.id)).proof!.verdict.beside).toEqual({
      mark: "wrong",
      text: "Small sheet.html is another; Small sheet.csv is missing; Small sheet.pdf is missing; x.txt was not promised",
    });
  });

  test("a print at 24 bits that goes beyond full scale says how many samples were cut off; in float none is", async () => {
    const { id } = await createSession(at.db, {
      ...small,
      tracks: small.tracks.map((t) =>
        t.id === "surf" ? { ...t, clips: t.clips.map((c) => (c.kind === "audio" ? { ...c, gainDb: 24 } : c)) } : t,
      ),
    });
    const findings = async (depth: Slip["depth"]) => {
      const job = await over(
        at,
        (await requestJob(at.db, id, { kind: "print", slip: slipOf(["surf"], { depth, afterwards: "keep live" }) })).id,
      );
      return job.result?.kind === "print"
        ? job.result.prints.flatMap((p) => p.findings.filter((f) => f.kind === "clipped"))
        : null;
    };
    expect((await findings("24"))?.[0]).toMatchObject({ kind: "clipped", samples: expect.any(Number) as number });
    expect(await findings("32f")).toEqual([]);
  });

  test("prints two tracks in one pass, keeps where they came from, checks that it sounds the same, and takes an equal print from the cache", async () => {
    const { id } = await createSession(at.db, small);
    const slip = slipOf(["surf", "bars"]);
    const job = await over(at, (await requestJob(at.db, id, { kind: "print", slip })).id);
    expect(job).toMatchObject({
      status: "done",
      result: {
        kind: "print",
        differs: null,
        prints: [
          { name: "Surf print", reused: false },
          { name: "Bars print", reused: false },
        ],
      },
    });
    const { document, revision } = await readState(at.db, id);
    expect(revision).toBe(1);
    expect(document.tracks.map((t) => [t.name, t.parked])).toEqual(
      small.tracks.flatMap((t) =>
        t.id === "surf" || t.id === "bars"
          ? [
              [t.name, true],
              [`${t.name} print`, false],
            ]
          : [[t.name, false]],
      ),
    );
    const records = await listPrints(at.db, id);
    expect(records.map((r) => [r.name, r.sources, r.revisionBefore, r.revisionAfter])).toEqual([
      ["Surf print", ["Surf"], 0, 1],
      ["Bars print", ["Bars"], 0, 1],
    ]);
    expect(await documentAt(at.db, id, 0)).toEqual(small);
    const deadline = Date.now() + 60_000;
    while (!(await listPrints(at.db, id)).every((r) => r.checked) && Date.now() < deadline)
      await new Promise((r) => setTimeout(r, 100));
    for (const record of await listPrints(at.db, id))
      expect([record.checked, (record.residueDb ?? -Infinity) <= -120]).toEqual([true, true]);
    await travel(at.db, id, "undo");
    expect((await readState(at.db, id)).document).toEqual(small);
    const again = await over(at, (await requestJob(at.db, id, { kind: "print", slip })).id);
    expect(again.result).toMatchObject({ speed: null, prints: [{ reused: true }, { reused: true }] });
  });

  test("a stretch of the mix is bounced to the shelf: as long as it is, in the depth that was asked for, and nothing else changes", async () => {
    const { id } = await createSession(at.db, small);
    const slip = slipOf(["mix"], {
      tap: "mix",
      range: { by: "stretch", from: 4800, to: 52_800 },
      tail: "none",
      placed: "shelf",
      depth: "16",
      channels: "mono",
    });
    const job = await over(at, (await requestJob(at.db, id, { kind: "print", slip })).id);
    if (job.result?.kind !== "print") throw new Error(JSON.stringify(job.fault));
    const [print] = job.result.prints;
    expect([print!.frames, print!.from, print!.tailFrames]).toEqual([48_000, 4800, 0]);
    expect(await readAudio(at.db, print!.asset)).toMatchObject({
      depth: "16",
      channels: 1,
      frames: 48_000,
      timeReference: 4800,
    });
    expect((await readState(at.db, id)).document).toEqual({
      ...small,
      assets: [...small.assets, expect.objectContaining({ id: print!.asset, origin: "printed" })],
    });
  });

  test("every member of the family undone to the beginning and redone to the end: identical documents, and so identical sound", async () => {
    const note = (tick: number) => ({ tick, ticks: 200, pitch: FIRST_PAD_NOTE, velocity: 100 });
    const beat = { id: "beat", name: "Beat", ticks: 1920, notes: [note(0), note(960)] };
    const [asset] = small.assets;
    const layer = (id: string, gainDb: number) => ({
      id,
      pad: 0,
      asset: asset!.id,
      gainDb,
      cents: 0,
      softest: 1,
      loudest: 127,
    });
    const session: Session = {
      ...small,
      phrases: [...small.phrases, beat],
      ranges: [{ id: "loop", name: "Loop", from: 0, to: 1920 }],
      tracks: [
        makeTrack({
          id: "drums",
          name: "Drums",
          kind: "instrument",
          clips: [makeNoteClip("d1", beat, 0), makeNoteClip("d2", beat, 3840)],
          devices: [makeDevice("kit", "kit", {}, null, [layer("l1", -6), layer("l2", -12)])],
        }),
        ...small.tracks,
      ],
    };
    const { id } = await createSession(at.db, session);
    const slips = [
      slipOf(["surf"], {
        tap: "clip",
        tail: "none",
        placed: "same track",
        afterwards: "replace",
        range: { by: "own" },
      }),
      slipOf(["drums"], { of: { what: "pad", device: "kit", pad: 0, velocities: "each" }, afterwards: "keep live" }),
      slipOf(["bars"], { placed: "pad", pad: { track: "drums", device: "kit", pad: 3 }, afterwards: "keep live" }),
      slipOf(["drums"], { of: { what: "phrase", phrase: "beat" } }),
      slipOf(["bars"], { range: { by: "saved", range: "loop" }, seam: { by: "fold" }, placed: "shelf" }),
      slipOf(["bars"], {
        tap: "channel",
        moves: [
          {
            track: "bars",
            lane: makeLane("m", "fader", [
              { tick: 0, value: -20 },
              { tick: 1500, value: 0 },
            ]),
          },
        ],
        afterwards: "park and hide",
      }),
      slipOf(["air"], { tap: "group", returns: true, afterwards: "keep live" }),
    ];
    const documents = [(await readState(at.db, id)).document];
    const step = async (job: Promise<{ id: string }>) => {
      const ended = await over(at, (await job).id);
      expect([ended.status, ended.fault]).toEqual(["done", null]);
      documents.push((await readState(at.db, id)).document);
    };
    for (const slip of slips) await step(requestJob(at.db, id, { kind: "print", slip }));
    const before = await readState(at.db, id);
    await postSteps(at.db, id, before.revision, [
      {
        id: "drier",
        step: {
          label: "Drier",
          edits: [{ do: "set", in: "devices", track: "drums", id: "kit", patch: { params: { level: 55 } } }],
        },
      },
    ]);
    documents.push((await readState(at.db, id)).document);
    const phrase = (await listPrints(at.db, id)).find((p) => p.slip.of.what === "phrase")!;
    await step(requestRefresh(at.db, id, { prints: [phrase.id], withTail: false }));
    await reopen(at.db, id, phrase.id);
    documents.push((await readState(at.db, id)).document);

    const steps = documents.length - 1;
    const threads = new ThreadPool(pathToFileURL(join(inject("workerFolder"), "task.thread.mjs")));
    /** Rendered anew: the audio of every print must still be there. */
    const soundNow = async () => {
      const { document } = await readState(at.db, id);
      const [mix] = await threads.render(
        {
          kind: "render",
          session: document,
          from: 0,
          to: 96000,
          tail: "none",
          dataRoot: at.dataRoot,
          files: [fileOf(MIX_AFTER)],
        },
        1,
        { signal: new AbortController().signal },
      );
      return mix!.sha256;
    };
    const printed = await soundNow();
    for (let n = steps - 1; n >= 0; n--) {
      await travel(at.db, id, "undo");
      expect((await readState(at.db, id)).document).toEqual(documents[n]);
    }
    expect(await soundNow()).not.toBe(printed);
    for (let n = 1; n <= steps; n++) {
      await travel(at.db, id, "redo");
      expect((await readState(at.db, id)).document).toEqual(documents[n]);
    }
    expect(await soundNow()).toBe(printed);
    await threads.close();
  }, 120_000);

  test("a loop at another rate is as long as its stretch", async () => {
    const { id } = await createSession(at.db, small);
    const slip = slipOf(["bars"], {
      range: { by: "stretch", from: 24_000, to: 72_000 },
      seam: { by: "fold" },
      placed: "shelf",
      rate: 44100,
    });
    const job = await over(at, (await requestJob(at.db, id, { kind: "print", slip })).id);
    if (job.result?.kind !== "print") throw new Error(JSON.stringify(job.fault));
    expect(job.result.prints[0]).toMatchObject({ frames: 44_100, rate: 44_100, tailFrames: 0 });
    expect(job.result.prints[0]!.peakDb).toBeGreaterThan(-60);
  });

  test("before and after a print are written, to be heard, with their difference; every one as long as the other", async () => {
    const { id } = await createSession(at.db, small);
    await over(at, (await requestJob(at.db, id, { kind: "print", slip: slipOf(["surf"], { depth: "16" }) })).id);
    const [print] = await listPrints(at.db, id);
    const heard = await over(at, (await requestListening(at.db, id, print!.id)).id);
    if (heard.result?.kind !== "listen") throw new Error(JSON.stringify(heard.fault));
    const { before, after, difference, frames, differencePeakDb } = heard.result;
    for (const hash of [before, after, difference])
      expect(await readAudio(at.db, hash)).toMatchObject({ frames, channels: 2, depth: "32f" });
    // Sixteen bits with dither are what is left.
    expect(differencePeakDb).toBeLessThan(-80);
    expect(differencePeakDb).toBeGreaterThan(-110);
    expect(await changesSince(at.db, id, print!.id)).toEqual([]);
  });

  test("a cancelled job stops, changes nothing and leaves no file", async () => {
    const { id } = await createSession(at.db, long);
    const before = unfinished().length;
    const job = await requestJob(at.db, id, { kind: "export", since: null, full: true, only: null });
    await until(at, job.id, (j) => j.progress.done > 0.01);
    await cancelJob(at.db, job.id);
    expect((await over(at, job.id)).status).toBe("cancelled");
    expect(await readState(at.db, id)).toMatchObject({ revision: 0, document: long });
    expect(unfinished().length).toBe(before);
  });

  test("killed in the middle of a print, the job runs again by itself and the session is done", async () => {
    const { id } = await createSession(at.db, long);
    const job = await requestJob(at.db, id, { kind: "freeze", tracks: ["pad", "horn"] });
    await until(at, job.id, (j) => j.status === "running" && j.progress.done > 0.05);
    child.kill("SIGKILL");
    await ended(child);
    expect(await readState(at.db, id)).toMatchObject({ revision: 0, document: long });
    child = await startRenderProcess(at);
    const done = await until(at, job.id, (j) => j.status === "done", 90_000);
    expect(done.attempts).toBe(2);
    expect((await readState(at.db, id)).document.tracks.filter((t) => t.frozen).map((t) => t.id)).toEqual([
      "pad",
      "horn",
    ]);
  }, 120_000);
});
