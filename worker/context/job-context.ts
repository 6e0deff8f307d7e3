import type { Session } from "../../core/session/document";
import type { Planned } from "../../core/printing/refusals";
import { sayRefusals } from "../../core/words/refusals";
import type { Job, JobProgress } from "../../contract/job";
import type { JobKind, JobResult, RequestOf } from "../../contract/job-kinds";
import type { AudioStore } from "../../server/audio/store";
import type { Connection, Db } from "../../server/db/connect";
import { endJob } from "../../server/services/jobs";
import type { ThreadPool } from "../threads/threads";
import { TaskFailed } from "../threads/thread-messages";
import { shownName } from "../../core/session/names";

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
export function orFail<T>(plan: Planned<T>): T {
  if (plan.ok) return plan.value;
  throw new TaskFailed({ kind: "other", message: sayRefusals(plan.refusals, "; ") });
}

/** Ends a job with its result, in the transaction that keeps what it made. */
export const done = (tx: Connection, job: Job, result: JobResult) =>
  endJob(tx, job.id, { status: "done", result }, job.attempts);

/** Guess of what a tail adds, for progress only. */
export const TAIL_GUESS_S = 2;

/** A print that has no sound in it: done as asked, and surely not what was wanted. */
export class SilentPrint extends Error {
  override readonly name = "SilentPrint";
  constructor(silent: readonly LeftSilent[]) {
    const [first] = silent;
    super(
      silent.length === 1 && first
        ? `The print of "${first.name}" is silent: ${first.reason}.`
        : `All ${silent.length} prints are silent: ${silent.map((s) => `"${s.name}", ${s.reason}`).join("; ")}.`,
    );
  }
}

/** A file of a job that turned out silent: what it is of, by name, and why. */
export interface LeftSilent {
  readonly name: string;
  readonly reason: string;
}

export const nameOf = (session: Session, track: string) => shownName(session.tracks.find((t) => t.id === track));

/** None of the files that were to be brought in could be read. */
export class NothingReadable extends Error {
  override readonly name = "NothingReadable";
  constructor(readonly left: readonly { readonly name: string; readonly why: string }[]) {
    super(
      left.length === 1
        ? `"${left[0]?.name ?? ""}" cannot be imported.`
        : `None of the ${left.length} files can be brought in.`,
    );
  }
}
