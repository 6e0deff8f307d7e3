import fc from "fast-check";
import {
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  rmSync,
  utimesSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { afterAll, beforeAll, beforeEach, describe, expect, inject, test } from "vitest";
import { makeDevice, makeLane, makeNoteClip, makeSession, makeTrack } from "../../core/session/build";
import type { Phrase, Session } from "../../core/session/document";
import { sessionEnd } from "../../core/engine/render";
import { tapAt } from "../../core/testing/listen";
import { AudioStore } from "../../server/audio/store";
import { checkpointFolder } from "../../server/paths";
import type { OutputFile } from "../files/output-file";
import { ThreadPool } from "../threads/threads";
import { TaskFailed } from "../threads/thread-messages";
import { keepCheckpoints, tidyCheckpoints, waitingPath } from "./checkpoints";

const line: Phrase = {
  id: "line",
  name: "Line",
  ticks: 20 * 3840,
  notes: Array.from({ length: 40 }, (_, i) => ({
    tick: i * 1920,
    ticks: 1200,
    pitch: 48 + ((i * 5) % 24),
    velocity: 90,
  })),
};
/** Forty seconds of a string through an echo and a room, its fader moving near the end. */
const song: Session = makeSession({
  phrases: [line],
  tracks: [
    makeTrack({
      id: "line",
      name: "Line",
      kind: "instrument",
      output: "mix",
      devices: [makeDevice("s", "string"), makeDevice("e", "delay"), makeDevice("r", "reverb", { decayS: 1 })],
      clips: [makeNoteClip("c", line, 0)],
      automation: [
        makeLane(
          "l",
          "fader",
          [
            { tick: 17 * 3840, value: 0 },
            { tick: 19 * 3840, value: -9 },
          ],
          null,
        ),
      ],
    }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const withNotes = (notes: Phrase["notes"]): Session => ({ ...song, phrases: [{ ...line, notes: [...notes] }] });
/** Another pitch at bar 17 of 20. */
const late = withNotes(line.notes.map((n) => (n.tick === 16 * 3840 ? { ...n, pitch: 67 } : n)));

let root: string;
let store: AudioStore;
let pool: ThreadPool;
beforeAll(async () => {
  root = mkdtempSync(join(tmpdir(), "stemzo-checkpoints-"));
  store = new AudioStore(root, null);
  pool = new ThreadPool(pathToFileURL(join(inject("workerFolder"), "task.thread.mjs")));
  await store.prepare(false);
});
afterAll(async () => {
  await pool.close();
  rmSync(root, { recursive: true, force: true });
});

/** Prints the line's channel as a job does; `order` names the samples, null: without checkpoints. */
async function printed(
  session: Session,
  order: string | null,
  path = store.unfinished(),
  more: Partial<OutputFile> = {},
  signal = new AbortController().signal,
) {
  const file: OutputFile = {
    tap: tapAt("channel", "line"),
    path,
    ditherSeed: null,
    foldMono: true,
    format: { rate: session.rate, channels: 2, depth: "32f" },
    bext: {
      ...{ description: "", originator: "", originatorReference: "", originationDate: "", originationTime: "" },
      ...{ timeReference: 0, loudness: null },
    },
    ...(order === null ? {} : { order }),
    ...more,
  };
  const [made] = await pool.render(
    { kind: "render", session, files: [file], from: 0, to: sessionEnd(session), tail: "whole", dataRoot: root },
    1,
    { signal },
  );
  const bytes = readFileSync(file.path);
  const hash = await store.adopt(file.path);
  expect(made?.sha256).toBe(hash);
  return { bytes, hash, since: made?.since ?? null, measures: made?.measures, overview: made?.overview };
}
const kept = () => readdirSync(checkpointFolder(root)).map((name) => join(checkpointFolder(root), name));
const filesKept = () => kept().flatMap((folder) => readdirSync(folder).map((name) => join(folder, name)));

describe("checkpoints of a print", () => {
  let whole: Buffer;
  let measured: Pick<Awaited<ReturnType<typeof printed>>, "measures" | "overview">;
  let first: Awaited<ReturnType<typeof printed>>;
  let folder: string;
  beforeAll(async () => {
    ({ bytes: whole, ...measured } = await printed(late, null));
    first = await printed(song, "lane");
    [folder = ""] = kept();
    cpSync(folder, join(root, "kept"), { recursive: true });
  });
  /** Only the checkpoints of the first print are there. */
  const onlyFirst = () => {
    for (const path of kept()) rmSync(path, { recursive: true });
    cpSync(join(root, "kept"), folder, { recursive: true });
  };
  beforeEach(onlyFirst);

  test("after a late edit, only what follows it is rendered; the file is a whole render's, byte for byte", async () => {
    expect(first.since).toBeNull();
    const again = await printed(late, "lane");
    // Bar 17 is 32 s into it, and there is a checkpoint.
    expect(again.since! / song.rate).toBeGreaterThan(31);
    expect(again.since! / song.rate).toBeLessThanOrEqual(32);
    expect(again.bytes.equals(whole)).toBe(true);
    expect([again.measures, again.overview]).toEqual([measured.measures, measured.overview]);
    // What is undone goes on from as far as both are the same.
    const back = await printed(song, "lane");
    expect([back.since !== null, back.bytes.equals(first.bytes)]).toEqual([true, true]);
  });

  test("a render that is cancelled leaves no file", async () => {
    const path = store.unfinished();
    await expect(printed(late, "lane", path, {}, AbortSignal.timeout(5))).rejects.toThrow(TaskFailed);
    expect([existsSync(path), existsSync(waitingPath(path))]).toEqual([false, false]);
  });

  test("what was found to be mono goes on as two channels and is found to be mono again, or is not any more", async () => {
    const dry = (session: Session, pan = false): Session => ({
      ...session,
      tracks: session.tracks.map((t) => ({
        ...t,
        devices: [...t.devices.filter((d) => d.type === "string"), makeDevice("w", "utility", { width: 0 })],
        automation: [
          makeLane(
            "p",
            "pan",
            [
              { tick: 0, value: 0, shape: "hold" },
              ...(pan
                ? [
                    { tick: 17 * 3840, value: 0, shape: "linear" as const },
                    { tick: 18 * 3840, value: 1 },
                  ]
                : []),
            ],
            null,
          ),
        ],
      })),
    });
    const cut = { cut: { from: 0, to: sessionEnd(song) } };
    const of = (session: Session, lane: string | null) => printed(session, lane, store.unfinished(), cut);
    const channels = ({ bytes }: { readonly bytes: Buffer }) => bytes.readUInt16LE(bytes.indexOf("fmt ") + 10);
    const mono = await of(dry(song), "mono");
    expect(channels(mono)).toBe(1);
    for (const [session, expected] of [
      [dry(late), 1],
      [dry(song, true), 2],
    ] as const) {
      const [again, anew] = [await of(session, "mono"), await of(session, null)];
      expect([again.since !== null, channels(again)]).toEqual([true, expected]);
      expect(again.bytes.equals(anew.bytes)).toBe(true);
      expect([again.measures, again.overview]).toEqual([anew.measures, anew.overview]);
    }
  });

  test("an edit at the beginning, other settings or another order leave nothing to go on from", async () => {
    const early = withNotes(line.notes.map((n) => (n.tick === 0 ? { ...n, pitch: 67 } : n)));
    const louder: Session = { ...song, tracks: song.tracks.map((t) => ({ ...t, faderDb: t.faderDb - 1 })) };
    const drier: Session = {
      ...song,
      tracks: song.tracks.map((t) => ({
        ...t,
        devices: t.devices.map((d) => (d.id === "r" ? { ...d, params: { ...d.params, wet: 10 } } : d)),
      })),
    };
    for (const session of [early, drier]) expect((await printed(session, "lane")).since).toBeNull();
    expect((await printed(late, "other lane")).since).toBeNull();
    // The fader rides, so that its own value is not heard.
    expect((await printed(louder, "lane")).since).toBeNull();
  });

  test("a damaged, truncated, foreign or empty file of checkpoints, and missing audio, cost time and no byte", async () => {
    const damages = (sound: Buffer) =>
      fc.oneof(
        fc.nat(sound.length - 1).map((at) => {
          const bytes = Buffer.from(sound);
          bytes[at] = (bytes[at] ?? 0) ^ 0x41;
          return bytes;
        }),
        fc.nat(sound.length - 1).map((length) => sound.subarray(0, length)),
        fc.uint8Array({ maxLength: 400 }).map((bytes) => Buffer.from(bytes)),
      );
    for (const path of filesKept())
      await fc.assert(
        fc.asyncProperty(damages(readFileSync(path)), async (bytes) => {
          onlyFirst();
          writeFileSync(path, bytes);
          expect((await printed(late, "lane")).bytes.equals(whole)).toBe(true);
        }),
        { numRuns: 5, seed: 5 },
      );
    // A thread's file, or the audio, that is gone.
    onlyFirst();
    rmSync(join(folder, "0"));
    const again = await printed(late, "lane");
    expect([again.since, again.bytes.equals(whole)]).toEqual([null, true]);
    onlyFirst();
    rmSync(store.path(first.hash));
    const anew = await printed(late, "lane");
    expect([anew.since, anew.bytes.equals(whole)]).toEqual([null, true]);
    await printed(song, null);
  });

  test("where they cannot be written, the print is made all the same", async () => {
    const path = store.unfinished();
    writeFileSync(waitingPath(path), "in the way");
    const again = await printed(late, "lane", path);
    expect([again.since !== null, again.bytes.equals(whole)]).toEqual([true, true]);
  });

  test("they are kept up to a size, those used last the longest", async () => {
    await printed(withNotes(line.notes.map((n) => (n.tick === 10 * 3840 ? { ...n, pitch: 67 } : n))), "lane");
    expect(kept().length).toBe(2);
    const newest = kept().find((path) => path !== folder)!;
    utimesSync(join(folder, "index"), 1000, 1000);
    tidyCheckpoints(root, readFileSync(join(newest, "0")).length + readFileSync(join(newest, "index")).length);
    expect(kept()).toEqual([newest]);
    tidyCheckpoints(root, 0);
    expect(kept()).toEqual([]);
    // Of one lane a few; other lanes are not touched.
    const keep = (lane: string, i: number) => {
      const waiting = waitingPath(store.unfinished());
      mkdirSync(waiting);
      writeFileSync(join(waiting, "0"), "");
      keepCheckpoints(root, waiting, lane, 1, { file: String(i) });
      const made = kept().find((path) => readFileSync(join(path, "index"), "utf8").includes(`"file":"${i}"`))!;
      utimesSync(join(made, "index"), 1000 + i, 1000 + i);
      return made;
    };
    const other = keep("other", 100);
    const own = Array.from({ length: 12 }, (_, i) => keep("lane", i));
    expect(kept().filter((path) => path.includes("lane."))).toHaveLength(8);
    expect([existsSync(own[11]!), existsSync(own[0]!), existsSync(other)]).toEqual([true, false, true]);
  });
});
