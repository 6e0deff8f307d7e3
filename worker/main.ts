import { EventEmitter } from "node:events";
import { availableParallelism } from "node:os";
import type { WorkerEvents } from "graphile-worker";
import { Logger, run } from "graphile-worker";
import { AudioStore } from "../server/audio/store";
import type { Connected } from "../server/db/connect";
import { database } from "../server/db/connect";
import { subscribe } from "../server/events";
import { Refusal } from "../server/fault";
import { readableFormats } from "../core/formats/registry";
import type { JobProgress, JobStatus, ServiceFault } from "../contract/job";
import { declarationOfJob } from "../contract/job-kinds";
import { jobWords } from "../contract/job-words";
import { Superseded, beginJob, cancelIsWanted, endJob, reportProgress } from "../server/services/jobs";
import { dataRoot } from "../server/paths";
import { reapOrphanedAudio, knownAudioAfterCommits } from "../server/services/audio";
import { planTidy, tidy } from "../server/services/tidy";
import type { StartedJob } from "./context/job-context";
import { NothingChanged } from "./delivery/reuse";
import { NothingReadable, SilentPrint } from "./context/job-context";
import { carryOut } from "./jobs/registry";
import { log } from "../server/log";
import { announceProcess, releaseDead } from "./recovery";
import { ThreadPool } from "./threads/threads";
import { TaskFailed } from "./threads/thread-messages";

const RELEASE_EVERY_MS = 2000;
const REPORT_EVERY_MS = 150;
/** The queue's own chatter is left out; what goes wrong is said. */
const quiet = new Logger(() => (level, message) => {
  if (level === "error" || level === "warning") log[level === "error" ? "error" : "warn"](message);
});

/** The render process: takes jobs from the queue and carries them out in threads. */
async function main(): Promise<void> {
  const { db, pool } = database();
  await databaseAnswers(pool);
  const store = new AudioStore(dataRoot());
  await store.prepare(false);
  await store.sweepDead();
  const threads = new ThreadPool(new URL("./task.thread.mjs", import.meta.url), store);
  const running = new Map<string, AbortController>();
  const working = new Set<string>();
  const hearAgain = async () => {
    for (const [id, controller] of running) if (await cancelIsWanted(db, id)) controller.abort();
  };
  subscribe(
    (event) => {
      if (event.about === "cancel") running.get(event.job)?.abort();
    },
    () => void hearAgain().catch((error: Error) => log.error(`cancels could not be looked up: ${error.message}`)),
  );

  const events: WorkerEvents = new EventEmitter();
  const poolId = new Promise<string>((resolve) =>
    events.once("pool:create", ({ workerPool }) => resolve(workerPool.id)),
  );
  let leave: (() => Promise<void>) | null = null;
  const runner = await run({
    pgPool: pool,
    events,
    noHandleSignals: true,
    concurrency: 2,
    pollInterval: 1000,
    logger: quiet,
    // Every night at four, by the machine's clock in UTC; what was missed within a day is made up for.
    crontab: "0 4 * * * tidy ?fill=1d&max=3",
    taskList: {
      tidy: async () => {
        const planned = new Date();
        const done = await tidy(db, store, await planTidy(db, store, planned), planned);
        log.info({ things: done.items.length, bytes: done.bytes }, "tidied");
      },
      render: async (payload, { abortSignal }) => {
        const id = (payload as { job: string }).job;
        const job = await beginJob(db, id);
        if (!job) return;
        const controller = new AbortController();
        running.set(id, controller);
        if (declarationOfJob(job.request.kind).disturbs !== false) working.add(id);
        const report = reporter(db, id);
        const signal = abortSignal ? AbortSignal.any([controller.signal, abortSignal]) : controller.signal;
        const own = store.waitingUntil(signal);
        const began = performance.now();
        let status: JobStatus = "done";
        const { kind } = job.request;
        log.info({ job: id, kind, session: job.session, attempt: job.attempts }, "job begins");
        try {
          // A cancel between the job's start and this line was not heard here.
          if (await cancelIsWanted(db, id)) controller.abort();
          await carryOut(job, {
            db,
            store: own,
            dataRoot: dataRoot(),
            pool: threads,
            threads: Math.min(4, availableParallelism()),
            signal,
            busy: () => working.size > 0,
            report: report.take,
          });
        } catch (error) {
          await report.quiet();
          // Shutting down is not the job's fault: thrown, it goes back to the queue for the next process.
          if (abortSignal?.aborted && !controller.signal.aborted) {
            status = "waiting";
            throw error;
          }
          if (error instanceof Superseded) return log.warn({ job: id }, error.message);
          status = controller.signal.aborted ? "cancelled" : "failed";
          await endJob(
            db,
            id,
            controller.signal.aborted ? { status: "cancelled" } : { status: "failed", fault: explain(job, error) },
            job.attempts,
          );
        } finally {
          await report.quiet();
          await reapOrphanedAudio(db, own);
          const ms = Math.round(performance.now() - began);
          log.info({ job: id, kind, session: job.session, ms, status }, "job ends");
          running.delete(id);
          working.delete(id);
        }
      },
    },
  });
  leave = await announceProcess(await poolId, (error) => {
    log.error(`${error.message}; ending, to be started again`);
    process.exit(1);
  });
  const release = setInterval(
    () =>
      void Promise.all([releaseDead(db), store.reapOrphansOfDead(knownAudioAfterCommits(db))]).catch((e: Error) =>
        log.error(`recovery: ${e.message}`),
      ),
    RELEASE_EVERY_MS,
  );
  await releaseDead(db);
  await store
    .reapOrphansOfDead(knownAudioAfterCommits(db))
    .catch((e: Error) => log.warn(`what dead processes stored is not settled yet: ${e.message}`));

  const stop = async () => {
    clearInterval(release);
    await runner.stop().catch(() => undefined);
    await leave?.();
    await threads.close();
    process.exit(0);
  };
  process.once("SIGTERM", () => void stop());
  process.once("SIGINT", () => void stop());
  log.info("render process ready");
}

/** Waits for a database that is away, as one is while its machine is started or a cable is out. */
async function databaseAnswers(pool: Connected["pool"]): Promise<void> {
  for (let tries = 0; ; tries++) {
    try {
      await pool.query("select 1");
      if (tries > 0) log.info("the database answers");
      return;
    } catch (error) {
      if (tries === 0) log.warn(`waiting for the database: ${(error as Error).message}`);
      await new Promise((resolve) => setTimeout(resolve, RELEASE_EVERY_MS));
    }
  }
}

/** Passes progress on at a bearable rate, and never after it was told to be quiet. */
function reporter(db: ReturnType<typeof database>["db"], id: string) {
  let last = 0;
  let closed = false;
  let sending: Promise<void> = Promise.resolve();
  return {
    take: (progress: JobProgress) => {
      const now = performance.now();
      if (closed || now - last < REPORT_EVERY_MS) return;
      last = now;
      sending = sending.then(() => (closed ? undefined : reportProgress(db, id, progress))).catch(() => undefined);
    },
    quiet: async () => {
      closed = true;
      await sending;
    },
  };
}

function explain(job: StartedJob, error: unknown): ServiceFault {
  const kept = "The session is as it was; nothing half-made was kept.";
  const { subject } = jobWords[job.request.kind];
  if (error instanceof SilentPrint)
    return { what: error.message, kept, todo: "Play the track, fix it, then try again.", problems: [] };
  if (error instanceof NothingChanged)
    return { what: error.message, kept: "No package was made.", todo: "Deliver the earlier package.", problems: [] };
  if (error instanceof NothingReadable)
    return {
      what: error.message,
      kept,
      todo: `Import another copy, or another file: ${readableFormats()} are read.`,
      problems: error.left.map((l) => ({ where: l.name, what: l.why })),
    };
  // With problems the session does not take what the job ends with: it has been changed meanwhile, or is full.
  if (error instanceof Refusal) {
    const { problems, todo } = error.fault;
    const change = "Change what is listed in the session, then try again.";
    return { ...error.fault, kept, todo: problems.length > 0 ? change : todo };
  }
  if (error instanceof TaskFailed) {
    const { kind, message } = error.fault;
    if (kind === "missing audio")
      return { what: message, kept, todo: "Upload that file again, or remove the clips that use it.", problems: [] };
    if (kind === "broken device")
      return {
        what: message,
        kept,
        todo: "Switch the device off or change its settings, then try again.",
        problems: [],
      };
    if (kind === "real time only")
      return { what: message, kept, todo: "Switch the device off, or park its track.", problems: [] };
    if (kind === "too long")
      return { what: message, kept, todo: "Move or remove the clip that stands so far out.", problems: [] };
    if (kind === "no room")
      return {
        what: message,
        kept,
        todo: "Make room on the disk, choose a shorter range, or fewer files.",
        problems: [],
      };
    if (kind === "malformed file")
      return { what: message, kept, todo: "Try again; if it happens again, the disk may be failing.", problems: [] };
  }
  log.error({ err: error, job: job.id }, "unforeseen");
  const code = (error as NodeJS.ErrnoException).code;
  if (code === "ENOSPC")
    return {
      what: `The disk is full, so the ${subject} could not be written.`,
      kept,
      todo: "Make room and try again.",
      problems: [],
    };
  return {
    what: `The ${subject} failed: ${error instanceof Error ? (error.message.split("\n")[0] ?? "") : String(error)}`,
    kept,
    todo: "Try again.",
    problems: [],
  };
}

main().catch((error: unknown) => {
  log.fatal({ err: error }, "render process");
  process.exit(1);
});
