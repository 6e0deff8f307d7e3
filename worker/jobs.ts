import { randomUUID } from "node:crypto";
import { rm } from "node:fs/promises";
import { setTimeout as sleep } from "node:timers/promises";
import { eq, inArray } from "drizzle-orm";
import type { Asset, Session } from "../core/session/document";
import type { BroughtIn } from "../core/session/import";
import { importStep, plainName } from "../core/session/import";
import { freezeStep, liveFor, planFreeze } from "../core/printing/freeze";
import type { FreezePrint, FreezeRender } from "../core/printing/freeze";
import { seedFrom } from "../core/random";
import type { Manifest } from "../core/stems/manifest";
import { MIX_BEFORE } from "../core/engine/tap";
import { planExport, sessionFor } from "../core/stems/plan";
import type { ExportPlan } from "../core/stems/plan";
import { handoffs, prints, sessions } from "../server/db/schema";
import { announce } from "../server/events";
import type { JobProgress, JobRequest, JobResult } from "../contract/job";
import { passProgress } from "../contract/job";
import { writePackage } from "../server/packages/write";
import { readAudio, recordAudio } from "../server/services/audio";
import { appendStep, readState } from "../server/services/sessions";
import type { JobContext, StartedJob } from "./job-context";
import { SilentPrint, TAIL_GUESS_S, done, nameOf, whySilent } from "./job-context";
import { check, listen, print, refresh } from "./print";
import type { ImportedFile, OutputFile, WrittenFile } from "./task";
import { TaskFailed } from "./task";

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
    case "refresh": return refresh(job, job.request, context);
    case "listen": return listen(job, job.request.print, context);
    case "load": return measure(job, context);
  }
}

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
    tap: r.tap, path: store.unfinished(), ditherSeed: null, foldMono: true, cut: { from: 0, to: r.to },
    format: { rate: document.rate, channels: 2, depth: "32f" },
    // Nothing here depends on names or dates, so the same sound is the same file.
    bext: { description: "Print", originator: "Stemzo", originatorReference: "", originationDate: "", originationTime: "", timeReference: 0, loudness: null },
  }));
  const written = fresh.length === 0 ? [] : await pool.renderEach(
    { kind: "render", session: liveFor(document, tracks), files, from: 0, to: end, tail: "whole", dataRoot: context.dataRoot },
    context.threads,
    { signal, onProgress: (frames) => context.report(passProgress("rendering", frames, total, document.rate, performance.now() - began)) },
  );
  const rendered = Math.max(0, ...written.map((w) => w.frames));
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

const QUIET_EVERY_MS = 250;
/** Meanwhile it takes one of the process's two places, which others may wait for. */
const QUIET_WITHIN_MS = 5000;

async function measure(job: StartedJob, context: JobContext): Promise<void> {
  const { db, pool, signal } = context;
  // Beside a print everything takes longer than it does; after so long a busy measure is better than none.
  for (let waited = 0; context.busy() && waited < QUIET_WITHIN_MS && !signal.aborted; waited += QUIET_EVERY_MS) await sleep(QUIET_EVERY_MS);
  const { document, revision } = await readState(db, job.session);
  context.report({ stage: "measuring the load", done: 0, speed: null, secondsLeft: null });
  const load = await pool.run<"load">({ kind: "load", session: document, dataRoot: context.dataRoot }, { signal });
  await db.transaction(async (tx) => {
    await tx.update(sessions).set({ load: { ...load, revision } }).where(eq(sessions.id, job.session));
    await announce(tx, { about: "load", session: job.session });
    await done(tx, job, { kind: "load", total: load.total });
  });
}
