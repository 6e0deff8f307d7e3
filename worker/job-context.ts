import { contentEnd } from "../core/engine/source";
import type { Session } from "../core/session/document";
import { tempoMap } from "../core/time/tempo";
import type { Job, JobProgress, JobResult } from "../contract/job";
import type { AudioStore } from "../server/audio/store";
import type { Connection, Db } from "../server/db/connect";
import { endJob } from "../server/services/jobs";
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

/** Ends a job with its result, in the transaction that keeps what it made. */
export const done = (tx: Connection, job: Job, result: JobResult) => endJob(tx, job.id, { status: "done", result });

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
