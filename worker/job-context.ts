import { contentEnd } from "../core/engine/source";
import type { Session } from "../core/session/document";
import type { Checked } from "../core/session/problem";
import { tempoMap } from "../core/time/tempo";
import type { Job, JobProgress } from "../contract/job";
import type { JobKind, JobResult, RequestOf } from "../contract/job-kinds";
import type { AudioStore } from "../server/audio/store";
import type { Connection, Db } from "../server/db/connect";
import { endJob } from "../server/services/jobs";
import { TaskFailed } from "./task";
import type { ThreadPool } from "./threads";

export interface JobContext {
  readonly db: Db;
  readonly store: AudioStore;
  readonly dataRoot: string;
  readonly pool: ThreadPool;
  readonly threads: number;
  readonly signal: AbortSignal;
  /** Whether this process does other work than measuring at the moment, which would be measured with it. */
  readonly busy: () => boolean;
  /** Tells those who wait; may be called as often as convenient. */
  readonly report: (progress: JobProgress) => void;
}

export type StartedJob = Job & { readonly madeAt: Date };

/** Carries one kind of job out; see `carryOut`. */
export type CarryOut<K extends JobKind> = (
  job: StartedJob,
  request: RequestOf<K>,
  context: JobContext,
) => Promise<void>;

/** What was planned; a plan that cannot be made any more ends the job. */
export function orFail<T>(plan: Checked<T>): T {
  if (plan.ok) return plan.value;
  throw new TaskFailed({ kind: "other", message: plan.problems.map((p) => `${p.where}: ${p.what}`).join("; ") });
}

/** Ends a job with its result, in the transaction that keeps what it made. */
export const done = (tx: Connection, job: Job, result: JobResult) =>
  endJob(tx, job.id, { status: "done", result }, job.attempts);

/** Guess of what a tail adds, for progress only. */
export const TAIL_GUESS_S = 2;

/** A print that has no sound in it: done as asked, and surely not what was wanted. */
export class SilentPrint extends Error {
  override readonly name = "SilentPrint";
  constructor(
    readonly track: string,
    readonly reason: string,
  ) {
    super(`The print of "${track}" is silent: ${reason}.`);
  }
}

export const nameOf = (session: Session, track: string) =>
  session.tracks.find((t) => t.id === track)?.name || "unnamed";

/** Why a track printed nothing but silence, as far as can be told. */
export function whySilent(session: Session, id: string): string {
  const track = session.tracks.find((t) => t.id === id);
  if (!track) return "the track is gone";
  const end = contentEnd(session, { ...track, frozen: null }, tempoMap(session.tempo, session.rate));
  if (end === 0) return "there is nothing on it";
  return track.kind === "instrument" && !track.devices[0]?.on
    ? "its instrument is switched off"
    : "nothing comes out of its devices";
}

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
