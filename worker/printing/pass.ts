import { rm } from "node:fs/promises";
import { inArray } from "drizzle-orm";
import type { Asset, Session } from "../../core/session/document";
import type { Frames } from "../../core/units";
import { silenceOf } from "../../core/printing/silent";
import { saySilence } from "../../core/words/silent";
import { passProgress } from "../../contract/job-progress";
import type { Connection } from "../../server/db/connect";
import { prints } from "../../server/db/schema";
import type { StoredAudio } from "../../server/services/audio";
import { readAudio, recordAudio } from "../../server/services/audio";
import type { JobContext, StartedJob } from "../context/job-context";
import type { LeftSilent } from "../context/job-context";
import { SilentPrint, TAIL_GUESS_S } from "../context/job-context";
import type { OutputFile, PassSince, WrittenFile } from "../files/output-file";
import { passSince } from "../files/output-file";
import type { RenderTask } from "../render/render-files";
import { laneOf, sampleOrder } from "../render/splice";

/** One file of a pass, and what names its sound in the cache of prints. */
export interface PassFile {
  readonly key: string;
  /** The print's name, and what it is called where it is a print of it. */
  readonly name: string;
  readonly of: string;
  /** Tracks whose sound is in it. */
  readonly sources: readonly string[];
  /** Where on the timeline it begins. */
  readonly at: Frames;
  /** Where on the timeline its content ends; its tail may follow. */
  readonly to: Frames;
  readonly output: Omit<OutputFile, "path">;
}

export interface PassOrder {
  /** The session as it is, at its revision; what is rendered may differ from it. */
  readonly document: Session;
  readonly revision: number;
  readonly files: readonly PassFile[];
  /** The pass over the files that are not in the cache. */
  readonly passOf: (fresh: readonly PassFile[]) => Omit<RenderTask, "kind" | "files" | "dataRoot">;
  /** Every file in a pass of its own, which ends with its own tail: for files that have little in common. */
  readonly each?: boolean;
  /** The files end together, so one that is missing in the cache means that all are rendered. */
  readonly even?: boolean;
  readonly threads: number;
  /** In words, while it renders. */
  readonly stage: string;
  /** The part of the job that is done when so much of the pass is; both 0 to 1. */
  readonly ofJob: (done: number) => number;
}

/** The files of a pass, rendered or found, still outside the database. */
export interface FinishedPass {
  /** Times real time; null when nothing had to be rendered. */
  readonly speed: number | null;
  /** See `passSince`. */
  readonly since: PassSince | null;
  /** Files that turned out silent beside others that sound: they are not kept. */
  readonly silent: readonly LeftSilent[];
  /** Puts their facts into the database and says what each file is, in the order they were asked for. */
  keep(tx: Connection): Promise<readonly KeptFile[]>;
}

export interface KeptFile {
  /** Which of the files that were asked for, from 0. */
  readonly place: number;
  readonly audio: StoredAudio;
  /** As a session names it. */
  readonly asset: Asset;
  /** It was in the cache. */
  readonly reused: boolean;
}

/**
 * What every job does that makes prints: looks them up in the cache, renders the others in one pass, seals them, takes
 * them into the store, and enters them. Nothing unfinished is left on any way out. A silent file is left out beside
 * others. Throws `TaskFailed`, and `SilentPrint` where all are silent.
 */
export async function runPass(job: StartedJob, order: PassOrder, context: JobContext): Promise<FinishedPass> {
  const { db, store, pool, signal } = context;
  const { document, files } = order;
  const keys = files.map((f) => f.key);
  const known = new Map(
    (keys.length === 0 ? [] : await db.select().from(prints).where(inArray(prints.fingerprint, keys))).map((p) => [
      p.fingerprint,
      p.asset,
    ]),
  );
  // What is used again is not tidied away meanwhile; what is gone is rendered again.
  for (const [key, asset] of known) if (!(await store.touch(asset))) known.delete(key);
  if (order.even && files.some((f) => !known.has(f.key))) known.clear();
  const fresh = files.filter((f) => !known.has(f.key));
  const began = performance.now();
  const outputs = fresh.map((f): OutputFile => ({
    ...f.output,
    path: store.unfinished(),
    ...sampleOrder(f.output, order.passOf(fresh)),
  }));
  let written: readonly WrittenFile[] = [];
  let rendered: Frames = 0;
  if (fresh.length > 0) {
    const pass = order.passOf(fresh);
    const total = pass.to + (pass.tail === "none" ? 0 : TAIL_GUESS_S * document.rate);
    const lane = laneOf("prints", job.session);
    const task: RenderTask = { kind: "render", ...pass, files: outputs, lane, dataRoot: context.dataRoot };
    written = await pool[order.each ? "renderEach" : "render"](task, order.threads, {
      signal,
      onProgress: (frames) => {
        const progress = passProgress(order.stage, frames, total, document.rate, performance.now() - began);
        context.report({ ...progress, done: order.ofJob(progress.done) });
      },
    });
    rendered = pass.to;
  }
  const tookS = (performance.now() - began) / 1000;
  const speed = written.length > 0 ? rendered / document.rate / tookS : null;
  const done = written.map((file, i) => ({ file, from: fresh[i] as PassFile }));
  const silent = done
    .filter(({ file }) => file.measures.peakDb === null)
    .map(({ from }): LeftSilent => ({ name: from.of, reason: whySilent(document, from) }));
  if (silent.length > 0 && silent.length === files.length) {
    await removeAll(outputs);
    throw new SilentPrint(silent);
  }
  const adopted = await Promise.all(
    done
      .filter(({ file }) => file.measures.peakDb !== null)
      .map(async ({ from, file }) => {
        return { from, file, hash: await store.adopt(file.path, file.sha256) };
      }),
  ).finally(() => removeAll(outputs));
  return {
    speed,
    since: passSince(written, tookS),
    silent,
    async keep(tx) {
      for (const { from, file, hash } of adopted) {
        await recordAudio(tx, hash, { ...file, timeReference: from.at });
        await tx
          .insert(prints)
          .values({
            fingerprint: from.key,
            asset: hash,
            sessionId: job.session,
            revision: order.revision,
            source: from.sources[0] ?? "",
          })
          .onConflictDoNothing();
        known.set(from.key, hash);
      }
      // One after the other: a transaction is one connection, which answers one question at a time.
      const kept: KeptFile[] = [];
      for (const [place, { key, name }] of files.entries()) {
        const stored = known.get(key);
        if (stored === undefined) continue;
        const audio = await readAudio(tx, stored);
        const { hash: id, frames, rate, channels } = audio;
        kept.push({
          place,
          audio,
          asset: { id, name, frames, rate, channels, origin: "printed" },
          reused: !adopted.some((a) => a.hash === id),
        });
      }
      return kept;
    },
  };
}

const removeAll = (outputs: readonly OutputFile[]) => Promise.all(outputs.map(({ path }) => rm(path, { force: true })));

/** Why a file of a pass is silent, for each track that was to be heard in it. */
function whySilent(document: Session, { sources, at, to, output: { tap } }: PassFile): string {
  const passed =
    tap.kind !== "path" || tap.at === "clip" || tap.at === "devices"
      ? "devices"
      : tap.at === "channel"
        ? tap.at
        : "group";
  return sources.map((s) => saySilence(silenceOf(document, s, { passed, from: at, to }))).join("; ");
}

/** The head of a print's file. Nothing in it depends on names or dates, so that the same sound is the same file. */
export const printBext = (timeReference: Frames): OutputFile["bext"] => ({
  description: "Print",
  originator: "Stemzo",
  originatorReference: "",
  originationDate: "",
  originationTime: "",
  timeReference,
  loudness: null,
});
