import { createHash, randomUUID } from "node:crypto";
import { rm } from "node:fs/promises";
import { eq, inArray } from "drizzle-orm";
import type { Asset, Session } from "../core/session/document";
import { contentEnd } from "../core/engine/source";
import type { BroughtIn } from "../core/session/import";
import { importStep, plainName } from "../core/session/import";
import { sessionEnd } from "../core/engine/render";
import type { PrintFile, PrintPlan } from "../core/printing/plan";
import { planPrint, printStep } from "../core/printing/plan";
import type { Slip } from "../core/printing/slip";
import { freezeStep, liveFor, planFreeze } from "../core/printing/freeze";
import type { FreezePrint, FreezeRender } from "../core/printing/freeze";
import { seedFrom } from "../core/random";
import type { Manifest } from "../core/stems/manifest";
import { MIX_BEFORE } from "../core/engine/tap";
import { planExport, sessionFor } from "../core/stems/plan";
import type { ExportPlan } from "../core/stems/plan";
import { tempoMap } from "../core/time/tempo";
import type { AudioStore } from "../server/audio/store";
import type { Connection, Db } from "../server/db/connect";
import { handoffs, lineage, prints, sessions } from "../server/db/schema";
import { announce } from "../server/events";
import type { Job, JobProgress, JobRequest, JobResult } from "../contract/job";
import { passProgress } from "../contract/job";
import { writePackage } from "../server/packages/write";
import { readAudio, recordAudio } from "../server/services/audio";
import { endJob, requestJob } from "../server/services/jobs";
import { appendStep, documentAt, readState } from "../server/services/sessions";
import type { ImportedFile, OutputFile, WrittenFile } from "./task";
import { TaskFailed } from "./task";
import type { ThreadPool } from "./threads";

export interface JobContext {
  readonly db: Db;
  readonly store: AudioStore;
  readonly dataRoot: string;
  readonly pool: ThreadPool;
  readonly threads: number;
  readonly signal: AbortSignal;
  /** Tells those who wait; may be called as often as convenient. */
  readonly report: (progress: JobProgress) => void;
}

export type StartedJob = Job & { readonly madeAt: Date };

/** A print that has no sound in it: done as asked, and surely not what was wanted. */
export class SilentPrint extends Error {
  override readonly name = "SilentPrint";
  constructor(readonly track: string, readonly reason: string) {
    super(`The print of "${track}" is silent: ${reason}.`);
  }
}

/** None of the files that were to be brought in could be read. */
export class NothingReadable extends Error {
  override readonly name = "NothingReadable";
  constructor(readonly left: readonly { readonly name: string; readonly why: string }[]) {
    super(left.length === 1 ? `"${left[0]?.name ?? ""}" cannot be brought in.` : `None of the ${left.length} files can be brought in.`);
  }
}

/** Carries a job out and ends it in one transaction with all it changes. Throws when it could not; nothing is changed then. */
export async function carryOut(job: StartedJob, context: JobContext): Promise<void> {
  switch (job.request.kind) {
    case "freeze": return freeze(job, job.request.tracks, context);
    case "export": return exportStems(job, context);
    case "import": return bringIn(job, job.request, context);
    case "print": return print(job, job.request.slip, context);
    case "check": return check(job, job.request.print, context);
    case "load": return measure(job, context);
  }
}

const done = (tx: Connection, job: Job, result: JobResult) => endJob(tx, job.id, { status: "done", result });

/** Guess of what a tail adds, for progress only. */
const TAIL_GUESS_S = 2;

async function freeze(job: StartedJob, tracks: readonly string[], context: JobContext): Promise<void> {
  const { db, store, pool, signal } = context;
  const { document, revision } = await readState(db, job.session);
  const plan = planFreeze(document, tracks);
  if (!plan.ok) throw new TaskFailed({ kind: "other", message: plan.problems.map((p) => `${p.where}: ${p.what}`).join("; ") });

  const known = new Map(
    (plan.value.length === 0 ? [] : await db.select().from(prints).where(inArray(prints.fingerprint, plan.value.map((r) => r.fingerprint)))).map((p) => [p.fingerprint, p.asset]),
  );
  const fresh = plan.value.filter((r) => !known.has(r.fingerprint));
  const began = performance.now();
  const end = Math.max(0, ...fresh.map((r) => r.to));
  const total = end + TAIL_GUESS_S * document.rate;
  const files = fresh.map((r): OutputFile => ({
    tap: r.tap, path: store.unfinished(), ditherSeed: null, foldMono: true,
    format: { rate: document.rate, channels: 2, depth: "32f" },
    // Nothing here depends on names or dates, so the same sound is the same file.
    bext: { description: "Print", originator: "Stemzo", originatorReference: "", originationDate: "", originationTime: "", timeReference: 0, loudness: null },
  }));
  const written = fresh.length === 0 ? [] : await pool.render(
    { kind: "render", session: liveFor(document, tracks), files, from: 0, to: end, tail: "measured", dataRoot: context.dataRoot },
    context.threads,
    { signal, onProgress: (frames) => context.report(passProgress("rendering", frames, total, document.rate, performance.now() - began)) },
  );
  const rendered = written[0]?.frames ?? 0;
  const speed = written.length > 0 ? rendered / document.rate / ((performance.now() - began) / 1000) : null;

  const adopted = await Promise.all(written.map(async (file, i) => {
    const render = fresh[i] as FreezeRender;
    if (file.measures.peakDb === null) throw new SilentPrint(nameOf(document, render.track), whySilent(document, render.track));
    return { render, file, hash: await store.adopt(file.path, file.sha256) };
  })).finally(() => Promise.all(files.map((f) => rm(f.path, { force: true }))));

  await db.transaction(async (tx) => {
    for (const { render, file, hash } of adopted) {
      await recordAudio(tx, hash, { ...file, timeReference: 0 });
      await tx.insert(prints).values({ fingerprint: render.fingerprint, asset: hash, sessionId: job.session, revision, source: render.track }).onConflictDoNothing();
      known.set(render.fingerprint, hash);
    }
    const made: (FreezePrint & { readonly result: Extract<JobResult, { kind: "freeze" }>["prints"][number] })[] = [];
    for (const render of plan.value) {
      const audio = await readAudio(tx, known.get(render.fingerprint) ?? "");
      const asset: Asset = { id: audio.hash, name: `${nameOf(document, render.track)} print`, frames: audio.frames, rate: audio.rate, channels: audio.channels, origin: "printed" };
      made.push({
        track: render.track, asset, fingerprint: render.fingerprint,
        result: {
          track: render.track, asset: audio.hash, frames: audio.frames, reused: !adopted.some((a) => a.render === render),
          peakDb: audio.measures.peakDb, lufs: audio.measures.lufs, tailFrames: Math.max(0, audio.frames - render.to),
        },
      });
    }
    // Tracks that were deleted or frozen otherwise meanwhile keep what was done to them.
    await appendStep(tx, job.session, job.id, (now) => {
      const still = made.filter((m) => now.tracks.some((t) => t.id === m.track && !t.parked));
      return still.length > 0 ? freezeStep(now, still) : null;
    });
    await done(tx, job, { kind: "freeze", prints: made.map((m) => m.result), speed });
  });
}

const nameOf = (session: Session, track: string) => session.tracks.find((t) => t.id === track)?.name || "unnamed";

function whySilent(session: Session, id: string): string {
  const track = session.tracks.find((t) => t.id === id);
  if (!track) return "the track is gone";
  const end = contentEnd(session, { ...track, frozen: null }, tempoMap(session.tempo, session.rate));
  if (end === 0) return "there is nothing on it";
  return track.kind === "instrument" && !track.devices[0]?.on ? "its instrument is switched off" : "nothing comes out of its devices";
}

async function exportStems(job: StartedJob, context: JobContext): Promise<void> {
  const { db, store, pool, signal, report } = context;
  const { document, revision } = await readState(db, job.session);
  const planned = planExport(document);
  if (!planned.ok) throw new TaskFailed({ kind: "other", message: planned.problems.map((p) => `${p.where}: ${p.what}`).join("; ") });
  const plan = planned.value;
  const files = [...plan.files.map((f) => stemOutput(f, plan, store.unfinished(), job.madeAt)), mixBeforeOutput(plan, store.unfinished(), job.madeAt)];
  const zipPath = store.unfinished();
  try {
    const began = performance.now();
    const total = plan.to - plan.from + (plan.tail === "measured" ? TAIL_GUESS_S * document.rate : 0);
    const written = await pool.render(
      {
        kind: "render", session: sessionFor(document, plan), files, from: plan.from, to: plan.to, tail: plan.tail, dataRoot: context.dataRoot,
        ...(plan.endAt === null || plan.tail === "none" ? {} : { endAt: plan.endAt }),
      },
      context.threads,
      { signal, onProgress: (frames) => report(scaled(passProgress("rendering all stems in one pass", Math.max(0, frames - plan.from), total, document.rate, performance.now() - began), 0, 0.6)) },
    );
    const mixBefore = written.at(-1);
    if (!mixBefore) throw new Error("the pass wrote no files");
    const speed = mixBefore.frames / plan.rate / ((performance.now() - began) / 1000);
    const delivered = written.slice(0, -1);
    const bytes = delivered.reduce((sum, f) => sum + f.bytes, 0);
    await writePackage(
      zipPath,
      delivered.map((f, i) => ({ path: f.path, name: plan.files[i]?.fileName ?? "", bytes: f.bytes })),
      manifestOf(document, job.session, revision, plan, delivered),
      { date: job.madeAt, signal, onBytes: (n) => report({ stage: "packing", done: 0.6 + (0.1 * n) / bytes, speed, secondsLeft: null }) },
    );
    const proof = await pool.run<"prove">(
      { kind: "prove", session: document, plan, zipPath, mixBeforePath: mixBefore.path, dataRoot: context.dataRoot },
      { signal, onProgress: (part) => report({ stage: "reading the package back", done: 0.7 + 0.3 * part, speed, secondsLeft: null }) },
    );
    const mixHash = await store.adopt(mixBefore.path, mixBefore.sha256);
    await store.adoptPackage(zipPath, job.id);
    await db.transaction(async (tx) => {
      await recordAudio(tx, mixHash, { ...mixBefore, timeReference: plan.timeReference });
      await tx.insert(handoffs).values({ id: job.id, sessionId: job.session, revision, fileName: `${plan.folder}.zip`, mixBefore: mixHash, proof, speed });
      await done(tx, job, { kind: "export", handoff: job.id });
    });
  } finally {
    await Promise.all([...files.map((f) => f.path), zipPath].map((path) => rm(path, { force: true })));
  }
}

const scaled = (p: JobProgress, from: number, share: number): JobProgress => ({ ...p, done: from + p.done * share });

function bextOf(description: string, plan: ExportPlan, date: Date): OutputFile["bext"] {
  const iso = date.toISOString();
  return {
    description, originator: "Stemzo", originatorReference: "", originationDate: iso.slice(0, 10), originationTime: iso.slice(11, 19),
    timeReference: plan.timeReference, loudness: null,
  };
}

const stemOutput = (file: ExportPlan["files"][number], plan: ExportPlan, path: string, date: Date): OutputFile => ({
  tap: file.tap, path, foldMono: true,
  format: { rate: plan.rate, channels: 2, depth: plan.depth },
  ditherSeed: plan.dither && plan.depth !== "32f" ? seedFrom(file.fileName) : null,
  bext: bextOf(file.title, plan, date),
});

const mixBeforeOutput = (plan: ExportPlan, path: string, date: Date): OutputFile => ({
  tap: MIX_BEFORE, path, foldMono: false, format: { rate: plan.rate, channels: 2, depth: "32f" }, ditherSeed: null,
  bext: bextOf("Mix before its chain", plan, date),
});

function manifestOf(session: Session, id: string, revision: number, plan: ExportPlan, files: readonly WrittenFile[]): Manifest {
  return {
    format: "stemzo-manifest", version: 1,
    session: { id, name: session.name, revision, rate: session.rate },
    folder: plan.folder, rate: plan.rate, depth: plan.depth, dither: plan.dither && plan.depth !== "32f",
    frames: files[0]?.frames ?? 0, range: { from: plan.from, to: plan.to, tail: plan.tail }, timeReference: plan.timeReference,
    leadIn: session.leadIn, tempo: session.tempo.map((p) => ({ ...p })), meter: session.meter.map((p) => ({ ...p })),
    files: plan.files.map((f, i) => ({
      name: f.fileName, title: f.title, role: f.role, sources: f.sources.map((s) => nameOf(session, s)),
      tap: f.tap.kind === "mix" ? f.tap.at : `${f.tap.at}${f.tap.returns ? " with returns" : ""}`,
      channels: files[i]?.format.channels ?? 2, frames: files[i]?.frames ?? 0, bytes: files[i]?.bytes ?? 0,
      sha256: files[i]?.sha256 ?? "", fingerprint: f.fingerprint,
    })),
  };
}

const noBext = { description: "Print", originator: "Stemzo", originatorReference: "", originationDate: "", originationTime: "", timeReference: 0, loudness: null } as const;

/** What names a print's file exactly: the sound and how it is written. */
const printKey = (plan: PrintPlan, file: PrintFile): string =>
  createHash("sha256").update(JSON.stringify([file.fingerprint, file.from, file.to, plan.tail, plan.endAt, plan.slip.depth, plan.slip.channels])).digest("hex");

async function print(job: StartedJob, slip: Slip, context: JobContext): Promise<void> {
  const { db, store, pool, signal } = context;
  const { document, revision } = await readState(db, job.session);
  const planned = planPrint(document, slip);
  if (!planned.ok) throw new TaskFailed({ kind: "other", message: planned.problems.map((p) => `${p.where}: ${p.what}`).join("; ") });
  const plan = planned.value;
  const keys = plan.files.map((f) => printKey(plan, f));
  const known = new Map((await db.select().from(prints).where(inArray(prints.fingerprint, keys))).map((p) => [p.fingerprint, p.asset]));
  const fresh = plan.files.map((file, i) => ({ file, key: keys[i] ?? "" })).filter(({ key }) => !known.has(key));
  const began = performance.now();
  const from = Math.min(...fresh.map(({ file }) => file.from));
  const to = Math.max(...fresh.map(({ file }) => file.to));
  const total = to + TAIL_GUESS_S * document.rate;
  const files = fresh.map(({ file }): OutputFile => ({
    tap: file.tap, path: store.unfinished(), ditherSeed: slip.depth === "32f" ? null : seedFrom(file.name), foldMono: slip.channels !== "stereo", downmix: slip.channels === "mono",
    format: { rate: document.rate, channels: 2, depth: slip.depth }, bext: { ...noBext, timeReference: file.from }, cut: { from: file.from, to: file.to },
  }));
  const written = files.length === 0 ? [] : await pool.render(
    { kind: "render", session: plan.session, files, from, to, tail: plan.tail, dataRoot: context.dataRoot, ...(plan.endAt === null ? {} : { endAt: plan.endAt }) },
    context.threads,
    { signal, onProgress: (frames) => context.report(passProgress("rendering", frames, total, document.rate, performance.now() - began)) },
  );
  const speed = written.length > 0 ? to / document.rate / ((performance.now() - began) / 1000) : null;
  const adopted = await Promise.all(written.map(async (file, i) => {
    const { file: piece, key } = fresh[i] as { file: PrintFile; key: string };
    if (file.measures.peakDb === null) throw new SilentPrint(piece.name, piece.sources.map((s) => whySilent(document, s)).join("; "));
    return { key, file, hash: await store.adopt(file.path, file.sha256), from: piece.from };
  })).finally(() => Promise.all(files.map((f) => rm(f.path, { force: true }))));

  await db.transaction(async (tx) => {
    for (const { key, file, hash, from: at } of adopted) {
      await recordAudio(tx, hash, { ...file, timeReference: at });
      await tx.insert(prints).values({ fingerprint: key, asset: hash, sessionId: job.session, revision, source: slip.tracks[0] ?? "" }).onConflictDoNothing();
      known.set(key, hash);
    }
    const printed = await Promise.all(plan.files.map(async (file, i) => {
      const audio = await readAudio(tx, known.get(keys[i] ?? "") ?? "");
      return { audio, print: { file, asset: { id: audio.hash, name: file.name, frames: audio.frames, rate: audio.rate, channels: audio.channels, origin: "printed" as const } } };
    }));
    let before = revision;
    const after = await appendStep(tx, job.session, job.id, (now, at) => {
      before = at;
      const step = printStep(now, plan, printed.map((p) => p.print), randomUUID);
      return step.edits.length > 0 ? step : null;
    });
    await tx.insert(lineage).values(printed.map(({ print: { file, asset } }) => ({
      id: randomUUID(), sessionId: job.session, job: job.id, asset: asset.id, name: file.name, slip, sources: file.sources.map((s) => nameOf(document, s)), fingerprint: file.fingerprint, revisionBefore: before, revisionAfter: after,
    })));
    await done(tx, job, {
      kind: "print", speed, differs: plan.differs,
      prints: printed.map(({ audio, print: { file } }) => ({
        name: file.name, asset: audio.hash, frames: audio.frames, from: file.from, reused: !adopted.some((a) => a.hash === audio.hash),
        peakDb: audio.measures.peakDb, lufs: audio.measures.lufs, tailFrames: Math.max(0, audio.frames - (file.to - file.from)), endDb: audio.measures.endDb,
      })),
    });
    // With the print or not at all: an error after its end would call a finished print failed.
    if (plan.differs === null) await requestJob(tx, job.session, { kind: "check", print: job.id });
  });
}

/** Plays the session as it was right before a print against what it was right after it. */
async function check(job: StartedJob, printJob: string, { db, store, pool, signal, report, dataRoot }: JobContext): Promise<void> {
  const [made] = await db.select().from(lineage).where(eq(lineage.job, printJob));
  if (!made) throw new Error(`the print ${printJob} has no lineage`);
  const before = await documentAt(db, job.session, made.revisionBefore);
  const after = await documentAt(db, job.session, made.revisionAfter);
  const scratch = store.unfinished();
  const total = 2 * Math.max(sessionEnd(before), sessionEnd(after));
  try {
    const residue = await pool.run<"compare">({ kind: "compare", before, after, dataRoot, scratch }, { signal, onProgress: (frames) => report({ stage: "comparing before and after", done: Math.min(1, frames / Math.max(1, total)), speed: null, secondsLeft: null }) });
    await db.transaction(async (tx) => {
      await tx.update(lineage).set({ checked: true, residueDb: residue.peakDb }).where(eq(lineage.job, printJob));
      await done(tx, job, { kind: "check", print: printJob, peakDb: residue.peakDb, at: residue.at });
    });
  } finally {
    await rm(scratch, { force: true });
  }
}

async function bringIn(job: StartedJob, request: Extract<JobRequest, { kind: "import" }>, { db, store, pool, signal, report }: JobContext): Promise<void> {
  const { document } = await readState(db, job.session);
  const made: { readonly name: string; readonly imported: ImportedFile }[] = [];
  const left: { name: string; why: string }[] = [];
  const leftovers: string[] = [];
  try {
    for (const [i, { upload, name }] of request.files.entries()) {
      const to = store.unfinished();
      leftovers.push(to);
      const stage = request.files.length === 1 ? `reading ${name}` : `reading ${name}, ${i + 1} of ${request.files.length}`;
      try {
        const imported = await pool.run<"import">({ kind: "import", from: store.uploadPath(upload), to, name: plainName(name), rate: document.rate }, {
          signal, onProgress: (thousandths) => report({ stage, done: (i + thousandths / 1000) / request.files.length, speed: null, secondsLeft: null }),
        });
        made.push({ name, imported });
      } catch (error) {
        // One file that cannot be read does not keep the others out; it is named at the end.
        if (!(error instanceof TaskFailed) || error.fault.kind !== "malformed file") throw error;
        left.push({ name, why: error.fault.message });
      }
    }
    if (made.length === 0) throw new NothingReadable(left);
    const kept = await Promise.all(made.map(async ({ name, imported }) => ({ name, imported, hash: await store.adopt(imported.file.path, imported.file.sha256) })));
    await db.transaction(async (tx) => {
      const files: BroughtIn[] = [];
      for (const { name, imported: { file, timeReference }, hash } of kept) {
        await recordAudio(tx, hash, { ...file, timeReference });
        files.push({ timeReference, asset: { id: hash, name: plainName(name), frames: file.frames, rate: file.format.rate, channels: file.format.channels, origin: "imported" } });
      }
      await appendStep(tx, job.session, job.id, (now) => importStep(now, files, request, randomUUID));
      await done(tx, job, {
        kind: "import", left,
        files: kept.map(({ name, imported, hash }) => ({ name, asset: hash, was: imported.kind, rate: imported.rate, converted: imported.rate !== document.rate, frames: imported.file.frames, timeReference: imported.timeReference })),
      });
    });
    await Promise.all(request.files.map((f) => rm(store.uploadPath(f.upload), { force: true })));
  } finally {
    await Promise.all(leftovers.map((path) => rm(path, { force: true })));
  }
}

async function measure(job: StartedJob, context: JobContext): Promise<void> {
  const { db, pool, signal } = context;
  const { document, revision } = await readState(db, job.session);
  context.report({ stage: "measuring the load", done: 0, speed: null, secondsLeft: null });
  const load = await pool.run<"load">({ kind: "load", session: document, dataRoot: context.dataRoot }, { signal });
  await db.transaction(async (tx) => {
    await tx.update(sessions).set({ load: { ...load, revision } }).where(eq(sessions.id, job.session));
    await announce(tx, { about: "load", session: job.session });
    await done(tx, job, { kind: "load", total: load.total });
  });
}
