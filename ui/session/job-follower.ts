import type { Job, JobProgress } from "../../contract/job";
import { isOver } from "../../contract/job-progress";
import { api } from "./api";

const POLL_MS = 200;

/** What a follower asks of the server. */
interface Server {
  job(id: string): Promise<Job>;
  cancel(id: string): Promise<unknown>;
}

/**
 * Follows jobs that belong to no session, one at a time: a session's own are told by its events. What was begun last
 * counts; what an earlier turn finds out is not heard any more.
 */
export class JobFollower {
  private turn = 0;
  private running: string | null = null;

  constructor(
    private readonly server: Server = api,
    private readonly pollMs = POLL_MS,
  ) {}

  /** Begins a turn: whatever is followed goes on at the server, unheard. */
  begin(): number {
    this.running = null;
    return ++this.turn;
  }

  /** Whether a turn is still the current one. */
  isCurrent(turn: number): boolean {
    return turn === this.turn;
  }

  /** Ends the turn and cancels what it runs. */
  cancel(): void {
    const { running } = this;
    this.begin();
    if (running !== null) void this.server.cancel(running).catch(() => undefined);
  }

  /** A job when it is over; null where its turn ended before. Throws `Refused`. */
  async follow(begun: Job, turn: number, onProgress: (progress: JobProgress) => void): Promise<Job | null> {
    if (!this.isCurrent(turn)) return null;
    this.running = begun.id;
    for (let job = begun; ; job = await this.server.job(begun.id)) {
      if (!this.isCurrent(turn)) return null;
      onProgress(job.progress);
      if (isOver(job.status)) {
        this.running = null;
        return job;
      }
      await new Promise((resolve) => setTimeout(resolve, this.pollMs));
    }
  }
}
