import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync, mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { randomUUID } from "node:crypto";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import type { Job } from "../contract/job";
import { isOver } from "../contract/job-progress";
import type { ResultOf } from "../contract/job-kinds";
import type { Handoff } from "../contract/handoff";
import { WavWriter } from "../core/formats/wav/write";
import { makeAudioClip, makeSession, makeTrack } from "../core/session/build";
import type { Asset, Session } from "../core/session/document";
import { sessionFileSchema } from "../core/session/document";
import { noise } from "../core/testing/listen";
import { inspectWav } from "../server/audio/facts";
import { FileSink } from "../server/audio/file-bytes";
import { AudioStore } from "../server/audio/store";
import { connect } from "../server/db/connect";
import { recordAudio } from "../server/services/audio";
import { startDisposable } from "./disposable";
import { watchStolen } from "./stolen";

const RATE = 48000;
/** Of each file: 10.4 MB in 24 bits, so that two hundred are 2 GB. */
const FRAMES = 36 * RATE;
const POLL_MS = 100;

/** What one kind of session file takes on a session of 2 GB, in seconds and bytes. */
export interface SessionFileFigures {
  readonly kind: "aaf" | "dawproject";
  readonly bytes: number;
  readonly clips: number;
  /** Copying the media with `cp`, until they are on the disk. */
  readonly copyS: number;
  /** From the request of an export until the session file is whole on the disk. */
  readonly writeS: number;
  /** And until its package is there: hashed with SHA-256, packed, made sure of. */
  readonly exportS: number;
  /** Until the proof has read it back. */
  readonly proofS: number;
  /** Until it is known what is in it, and until it is open as a session. */
  readonly lookS: number;
  readonly openS: number;
  /** Memory of the render process before, and the most of it while exporting and while opening. */
  readonly idleBytes: number;
  readonly exportBytes: number;
  readonly openBytes: number;
  /** Of this machine's processors that others had while it was opened, in percent: opening waits for them. */
  readonly stolenPercent: number;
}

/** Writes and opens session files of a big session, through HTTP, each kind on a Stemzo of its own. */
export async function measureSessionFiles(): Promise<readonly SessionFileFigures[]> {
  return [await measureKind("aaf"), await measureKind("dawproject")];
}

async function measureKind(
  kind: SessionFileFigures["kind"],
  tracks = 200,
  clipsOfEach = 50,
): Promise<SessionFileFigures> {
  const stemzo = await startDisposable();
  const { db, pool } = connect(stemzo.databaseUrl, 2);
  const store = new AudioStore(stemzo.dataRoot);
  const call = async <T>(path: string, body?: unknown): Promise<T> => {
    const response = await fetch(
      `${stemzo.address}/api${path}`,
      body === undefined
        ? {}
        : { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify(body) },
    );
    if (!response.ok) throw new Error(await response.text());
    return (await response.json()) as T;
  };
  const over = async (job: Job, onStage?: (stage: string) => void): Promise<Job> => {
    let now = job;
    while (!isOver(now.status)) {
      await new Promise((resolve) => setTimeout(resolve, POLL_MS));
      now = await call<Job>(`/jobs/${job.id}`);
      onStage?.(now.progress.stage);
    }
    if (now.status !== "done") throw new Error(JSON.stringify(now.fault));
    return now;
  };
  const timed = async <T>(work: () => Promise<T>): Promise<{ readonly value: T; readonly seconds: number }> => {
    const began = performance.now();
    const value = await work();
    return { value, seconds: (performance.now() - began) / 1000 };
  };
  try {
    const assets: Asset[] = [];
    const { left, right } = noise(FRAMES, 5, 0.2);
    for (let i = 0; i < tracks; i++) {
      const path = store.unfinished();
      const sink = new FileSink(path);
      const format = { rate: RATE, channels: 2, depth: "24" } as const;
      const writer = new WavWriter(sink, { format, bext: null, ditherSeed: null });
      // Each differs by a sample, so that none is kept once for all.
      left[i] = 0.5;
      writer.write(left, right, 0, FRAMES);
      writer.finish();
      sink.close();
      const facts = await inspectWav(path);
      const { hash } = await recordAudio(db, await store.adopt(path), facts);
      assets.push({ id: hash, name: `Take ${i}`, frames: FRAMES, rate: RATE, channels: 2, origin: "imported" });
    }
    const session = bigSession(assets, clipsOfEach, kind);
    const { id } = await call<{ id: string }>("/sessions", { document: session });
    const copyS = copied(assets.map((a) => store.path(a.id)));
    const watch = new Watch(stemzo.dataRoot);
    const idleBytes = watch.most();
    const began = performance.now();
    let writeS = NaN;
    const exported = await timed(async () =>
      over(await call<Job>(`/sessions/${id}/exports`, { since: null, full: true, only: "session files" }), (stage) => {
        if (stage === "packing" && Number.isNaN(writeS)) writeS = (performance.now() - began) / 1000;
      }),
    );
    const exportBytes = watch.most();
    const { handoff } = exported.value.result as ResultOf<"export">;
    const proven = await timed(async () => {
      for (;;) {
        const made = await call<Handoff>(`/handoffs/${handoff}`);
        if (made.proof) return made;
        await new Promise((resolve) => setTimeout(resolve, POLL_MS));
      }
    });
    if (proven.value.proof?.verdict.mark !== "right") throw new Error(JSON.stringify(proven.value.proof?.verdict));
    const facts = proven.value.manifest.sessionFiles[0];
    const upload = unpacked(store, store.packages.path(handoff), facts?.name ?? "");
    const files = [{ upload, path: facts?.name ?? "" }];
    const looking = new Watch(stemzo.dataRoot);
    const stolen = watchStolen();
    const looked = await timed(async () => over(await call<Job>("/intakes", { files })));
    const [candidate] = (looked.value.result as ResultOf<"look">).arrival.candidates;
    const opened = await timed(async () =>
      over(await call<Job>("/intakes/take-in", { files, candidate: candidate?.id ?? "" })),
    );
    const stolenPercent = stolen();
    const taken = opened.value.result as ResultOf<"take in">;
    const { document } = await call<{ document: Session }>(`/sessions/${taken.session}`);
    const clips = document.tracks.reduce((n, t) => n + t.clips.length, 0);
    if (clips !== tracks * clipsOfEach || taken.missing > 0) throw new Error(`${clips} clips came back`);
    return {
      kind,
      stolenPercent,
      bytes: facts?.bytes ?? 0,
      clips,
      copyS,
      writeS,
      exportS: exported.seconds,
      proofS: proven.seconds,
      lookS: looked.seconds,
      openS: opened.seconds,
      idleBytes,
      exportBytes,
      openBytes: looking.most(),
    };
  } finally {
    await pool.end();
    await stemzo.stop();
  }
}

/** Clips that overlap nowhere, with gains and fades, on tracks of one file each. */
function bigSession(assets: readonly Asset[], clips: number, kind: SessionFileFigures["kind"]): Session {
  const length = Math.floor(FRAMES / clips);
  const session = makeSession({
    name: `Big ${kind}`,
    rate: RATE,
    assets: [...assets],
    tracks: [
      ...assets.map((a, i) =>
        makeTrack({
          id: `t${i}`,
          name: `Track ${i + 1}`,
          kind: "audio",
          output: "mix",
          clips: Array.from({ length: clips }, (_, k) =>
            makeAudioClip({
              id: `c${i}-${k}`,
              name: `Clip ${k + 1}`,
              asset: a.id,
              start: k * (length + 500) + 3 * i,
              frames: length,
              offset: k * length,
              gainDb: -3,
              fadeIn: { frames: 100, shape: "linear" },
              fadeOut: { frames: 200, shape: "linear" },
            }),
          ),
        }),
      ),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
  const sessionFiles = [sessionFileSchema.parse({ kind, print: "nothing" })];
  return { ...session, sheet: { ...session.sheet, sessionFiles } };
}

/** Seconds that `cp` takes, and `sync` after it. */
function copied(paths: readonly string[]): number {
  const to = mkdtempSync(join(tmpdir(), "stemzo-copied-"));
  const began = performance.now();
  execFileSync("cp", [...paths, to]);
  execFileSync("sync", ["-f", to]);
  const seconds = (performance.now() - began) / 1000;
  rmSync(to, { recursive: true });
  return seconds;
}

/** Takes a file out of a package and puts it where uploads are. */
function unpacked(store: AudioStore, zip: string, name: string): string {
  const upload = randomUUID();
  const to = mkdtempSync(join(tmpdir(), "stemzo-unpacked-"));
  execFileSync("unzip", ["-q", "-j", zip, `*/${name}`, "-d", to]);
  const [file = ""] = readdirSync(to);
  mkdirSync(dirname(store.uploads.path(upload)), { recursive: true });
  copyFileSync(join(to, file), store.uploads.path(upload));
  rmSync(to, { recursive: true });
  return upload;
}

/** The most memory that the render process on some data has held since this was made. Linux alone tells. */
class Watch {
  private readonly pids: readonly string[];

  constructor(dataRoot: string) {
    this.pids = readdirSync("/proc").filter((pid) => {
      try {
        return (
          /^\d+$/.test(pid) &&
          readFileSync(`/proc/${pid}/cmdline`, "utf8").includes("main.mjs") &&
          readFileSync(`/proc/${pid}/environ`, "utf8").split("\0").includes(`STEMZO_DATA=${dataRoot}`)
        );
      } catch {
        return false;
      }
    });
    if (this.pids.length === 0) throw new Error("no render process was found");
    // proc(5), clear_refs: 5 begins the peak anew.
    for (const pid of this.pids) writeFileSync(`/proc/${pid}/clear_refs`, "5");
  }

  most(): number {
    const of = (pid: string) =>
      1024 * Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))?.[1] ?? 0);
    return Math.max(...this.pids.map(of));
  }
}
