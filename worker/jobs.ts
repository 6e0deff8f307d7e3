import { randomUUID } from "node:crypto";
import { rm } from "node:fs/promises";
import { setTimeout as sleep } from "node:timers/promises";
import { eq, inArray } from "drizzle-orm";
import type { Asset, Session } from "../core/session/document";
import type { BroughtIn } from "../core/session/import";
import { importStep, plainName } from "../core/session/import";
import { freezeStep, liveFor, planFreeze } from "../core/printing/freeze";
import type { FreezePrint, FreezeRender } from "../core/printing/freeze";
import { planExport } from "../core/stems/plan";
import type { ExportPlan } from "../core/stems/plan";
import { handoffs, prints, sessions } from "../server/db/schema";
import { announce } from "../server/events";
import type { JobRequest, JobResult } from "../contract/job";
import { passProgress } from "../contract/job";
import { readAudio, recordAudio } from "../server/services/audio";
import { readHandoff } from "../server/services/handoffs";
import { requestJob } from "../server/services/jobs";
import { appendStep, documentAt, readDocument, revisionDate } from "../server/services/sessions";
import type { JobContext, StartedJob } from "./job-context";
import { SilentPrint, TAIL_GUESS_S, done, nameOf, whySilent } from "./job-context";
import { check, listen, print, refresh } from "./print";
import { makePackage, provePackage } from "./delivery";
import type { ImportedFile, OutputFile } from "./task";
import { TaskFailed } from "./task";

/** None of the files that were to be brought in could be read. */
export class NothingReadable extends Error {
  override readonly name = "NothingReadable";
  constructor(readonly left: readonly { readonly name: string; readonly why: string }[]) {
    super(
      left.length === 1
        ? `"${left[0]?.name ?? ""}" cannot be brought in.`
        : `None of the ${left.length} files can be brought in.`,
    );
  }
}

/**
 * Carries a job out and ends it in one transaction with all it changes. Throws when it could not; nothing is changed
 * then.
 */
export async function carryOut(job: StartedJob, context: JobContext): Promise<void> {
  switch (job.request.kind) {
    case "freeze":
      return freeze(job, job.request.tracks, context);
    case "export":
      return exportStems(job, context);
    case "prove":
      return prove(job, job.request.handoff, context);
    case "import":
      return bringIn(job, job.request, context);
    case "print":
      return print(job, job.request.slip, context);
    case "check":
      return check(job, job.request.print, context);
    case "refresh":
      return refresh(job, job.request, context);
    case "listen":
      return listen(job, job.request.print, context);
    case "load":
      return measure(job, context);
  }
}

async function freeze(job: StartedJob, tracks: readonly string[], context: JobContext): Promise<void> {
  const { db, store, pool, signal } = context;
  const { document, revision } = await readDocument(db, job.session);
  const plan = planFreeze(document, tracks);
  if (!plan.ok)
    throw new TaskFailed({ kind: "other", message: plan.problems.map((p) => `${p.where}: ${p.what}`).join("; ") });

  const known = new Map(
    (plan.value.length === 0
      ? []
      : await db
          .select()
          .from(prints)
          .where(
            inArray(
              prints.fingerprint,
              plan.value.map((r) => r.fingerprint),
            ),
          )
    ).map((p) => [p.fingerprint, p.asset]),
  );
  const fresh = plan.value.filter((r) => !known.has(r.fingerprint));
  const began = performance.now();
  const end = Math.max(0, ...fresh.map((r) => r.to));
  const total = end + TAIL_GUESS_S * document.rate;
  const files = fresh.map((r): OutputFile => ({
    tap: r.tap,
    path: store.unfinished(),
    ditherSeed: null,
    foldMono: true,
    cut: { from: 0, to: r.to },
    format: { rate: document.rate, channels: 2, depth: "32f" },
    // Nothing here depends on names or dates, so the same sound is the same file.
    bext: {
      description: "Print",
      originator: "Stemzo",
      originatorReference: "",
      originationDate: "",
      originationTime: "",
      timeReference: 0,
      loudness: null,
    },
  }));
  const written =
    fresh.length === 0
      ? []
      : await pool.renderEach(
          {
            kind: "render",
            session: liveFor(document, tracks),
            files,
            from: 0,
            to: end,
            tail: "whole",
            dataRoot: context.dataRoot,
          },
          context.threads,
          {
            signal,
            onProgress: (frames) =>
              context.report(passProgress("rendering", frames, total, document.rate, performance.now() - began)),
          },
        );
  const rendered = Math.max(0, ...written.map((w) => w.frames));
  const speed = written.length > 0 ? rendered / document.rate / ((performance.now() - began) / 1000) : null;

  const adopted = await Promise.all(
    written.map(async (file, i) => {
      const render = fresh[i] as FreezeRender;
      if (file.measures.peakDb === null)
        throw new SilentPrint(nameOf(document, render.track), whySilent(document, render.track));
      return { render, file, hash: await store.adopt(file.path, file.sha256) };
    }),
  ).finally(() => Promise.all(files.map((f) => rm(f.path, { force: true }))));

  await db.transaction(async (tx) => {
    for (const { render, file, hash } of adopted) {
      await recordAudio(tx, hash, { ...file, timeReference: 0 });
      await tx
        .insert(prints)
        .values({
          fingerprint: render.fingerprint,
          asset: hash,
          sessionId: job.session,
          revision,
          source: render.track,
        })
        .onConflictDoNothing();
      known.set(render.fingerprint, hash);
    }
    const made: (FreezePrint & { readonly result: Extract<JobResult, { kind: "freeze" }>["prints"][number] })[] = [];
    for (const render of plan.value) {
      const audio = await readAudio(tx, known.get(render.fingerprint) ?? "");
      const asset: Asset = {
        id: audio.hash,
        name: `${nameOf(document, render.track)} print`,
        frames: audio.frames,
        rate: audio.rate,
        channels: audio.channels,
        origin: "printed",
      };
      made.push({
        track: render.track,
        asset,
        fingerprint: render.fingerprint,
        result: {
          track: render.track,
          asset: audio.hash,
          frames: audio.frames,
          reused: !adopted.some((a) => a.render === render),
          peakDb: audio.measures.peakDb,
          lufs: audio.measures.lufs,
          tailFrames: Math.max(0, audio.frames - render.to),
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
  const { document, revision } = await readDocument(db, job.session);
  const plan = plannedExport(document);
  // Dates are the revision's, so that the same revision is the same bytes whenever it is exported.
  const date = await revisionDate(db, job.session, revision);
  const made = await makePackage(
    { session: document, id: job.session, revision, plan, date, dataRoot: context.dataRoot },
    store,
    pool,
    context.threads,
    { signal, report },
  );
  try {
    const mixHash = await store.adopt(made.mixBefore.path, made.mixBefore.sha256);
    await store.adoptPackage(made.zipPath, job.id);
    await db.transaction(async (tx) => {
      await recordAudio(tx, mixHash, { ...made.mixBefore, timeReference: plan.timeReference });
      await tx.insert(handoffs).values({
        id: job.id,
        sessionId: job.session,
        revision,
        fileName: `${plan.folder}.zip`,
        mixBefore: mixHash,
        manifest: made.manifest,
        bytes: made.bytes,
        proof: null,
        speed: made.speed,
      });
      await done(tx, job, { kind: "export", handoff: job.id });
      // The package can be fetched from now on; what is in it is proven beside that.
      await requestJob(tx, job.session, { kind: "prove", handoff: job.id });
    });
  } finally {
    await Promise.all([made.mixBefore.path, made.zipPath].map((path) => rm(path, { force: true })));
  }
}

/** Reads a finished package back, measures it, and holds every file of it to a fresh render. */
async function prove(
  job: StartedJob,
  handoff: string,
  { db, store, pool, signal, report, dataRoot }: JobContext,
): Promise<void> {
  const { revision, mixBefore } = await readHandoff(db, handoff);
  const document = await documentAt(db, job.session, revision);
  const proof = await provePackage(
    {
      session: document,
      plan: plannedExport(document),
      zipPath: store.packagePath(handoff),
      mixBeforePath: store.path(mixBefore),
      dataRoot,
    },
    pool,
    {
      signal,
      onProgress: (part) =>
        report({ stage: "holding every file to a fresh render", done: part, speed: null, secondsLeft: null }),
    },
  );
  await db.transaction(async (tx) => {
    await tx.update(handoffs).set({ proof }).where(eq(handoffs.id, handoff));
    await done(tx, job, { kind: "prove", handoff, mark: proof.verdict.mark });
  });
}

function plannedExport(document: Session): ExportPlan {
  const planned = planExport(document);
  if (!planned.ok)
    throw new TaskFailed({ kind: "other", message: planned.problems.map((p) => `${p.where}: ${p.what}`).join("; ") });
  return planned.value;
}

async function bringIn(
  job: StartedJob,
  request: Extract<JobRequest, { kind: "import" }>,
  { db, store, pool, signal, report }: JobContext,
): Promise<void> {
  const { document } = await readDocument(db, job.session);
  const made: { readonly name: string; readonly imported: ImportedFile }[] = [];
  const left: { name: string; why: string }[] = [];
  const leftovers: string[] = [];
  try {
    for (const [i, { upload, name }] of request.files.entries()) {
      const to = store.unfinished();
      leftovers.push(to);
      const stage =
        request.files.length === 1 ? `reading ${name}` : `reading ${name}, ${i + 1} of ${request.files.length}`;
      try {
        const imported = await pool.run<"import">(
          { kind: "import", from: store.uploadPath(upload), to, name: plainName(name), rate: document.rate },
          {
            signal,
            stallMs: READ_STALL_MS,
            onProgress: (thousandths) =>
              report({ stage, done: (i + thousandths / 1000) / request.files.length, speed: null, secondsLeft: null }),
          },
        );
        for (const [c, one] of imported.entries()) {
          made.push({ name: imported.length === 1 ? name : `${plainName(name)} ${c + 1}`, imported: one });
          leftovers.push(one.file.path);
        }
      } catch (error) {
        // One file that cannot be read, or that takes its reader with it, does not keep the others out; it is named at
        // the end.
        if (!(error instanceof TaskFailed) || error.fault.kind === "cancelled") throw error;
        left.push({
          name,
          why:
            error.fault.kind === "malformed file"
              ? error.fault.message
              : `Reading it failed: ${error.fault.message.split("\n")[0] ?? "for no known reason"}`,
        });
      }
    }
    if (made.length === 0) throw new NothingReadable(left);
    const kept = await Promise.all(
      made.map(async ({ name, imported }) => ({
        name,
        imported,
        hash: await store.adopt(imported.file.path, imported.file.sha256),
      })),
    );
    await db.transaction(async (tx) => {
      const files: BroughtIn[] = [];
      for (const {
        name,
        imported: { file, timeReference },
        hash,
      } of kept) {
        await recordAudio(tx, hash, { ...file, timeReference });
        files.push({
          timeReference,
          asset: {
            id: hash,
            name: plainName(name),
            frames: file.frames,
            rate: file.format.rate,
            channels: file.format.channels,
            origin: "imported",
          },
        });
      }
      await appendStep(tx, job.session, job.id, (now) => importStep(now, files, request, randomUUID));
      await done(tx, job, {
        kind: "import",
        left,
        files: kept.map(({ name, imported, hash }) => ({
          name,
          asset: hash,
          was: imported.kind,
          rate: imported.rate,
          converted: imported.rate !== document.rate,
          frames: imported.file.frames,
          timeReference: imported.timeReference,
        })),
      });
    });
    await Promise.all(request.files.map((f) => rm(store.uploadPath(f.upload), { force: true })));
  } finally {
    await Promise.all(leftovers.map((path) => rm(path, { force: true })));
  }
}

/** A reader that has not come further for so long is at a loss, and is ended. */
const READ_STALL_MS = 30_000;
const QUIET_EVERY_MS = 250;
/** Meanwhile it takes one of the process's two places, which others may wait for. */
const QUIET_WITHIN_MS = 5000;

async function measure(job: StartedJob, context: JobContext): Promise<void> {
  const { db, pool, signal } = context;
  // Beside a print everything takes longer than it does; after so long a busy measure is better than none.
  for (let waited = 0; context.busy() && waited < QUIET_WITHIN_MS && !signal.aborted; waited += QUIET_EVERY_MS)
    await sleep(QUIET_EVERY_MS);
  const { document, revision } = await readDocument(db, job.session);
  context.report({ stage: "measuring the load", done: 0, speed: null, secondsLeft: null });
  const load = await pool.run<"load">({ kind: "load", session: document, dataRoot: context.dataRoot }, { signal });
  await db.transaction(async (tx) => {
    await tx
      .update(sessions)
      .set({ load: { ...load, revision } })
      .where(eq(sessions.id, job.session));
    await announce(tx, { about: "load", session: job.session });
    await done(tx, job, { kind: "load", total: load.total });
  });
}
