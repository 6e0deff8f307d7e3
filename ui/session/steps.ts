import { isOver } from "../../contract/job-progress";
import type { SessionState } from "../../contract/session";
import type { Step } from "../../core/session/edits";
import type { NamedStep, Outcome, Sync } from "../../core/session/sync";
import { propose, receive, withdraw } from "../../core/session/sync";
import { DISK_FULL, Refused, api } from "./api";
import type { LivePass } from "./live-pass";
import type { Notices, SessionStore, StoreAccess } from "./session-store";

/** Steps sent in one request. */
const BATCH = 100;
/** The load is measured again this long after the last change. */
const MEASURE_AFTER_MS = 1500;
export const RETRY_MS = 1500;

interface Travels {
  readonly revision: number;
  readonly undo: string | null;
  readonly redo: string | null;
}

/** The steps of a session as this page makes, sends and receives them; and what undo and redo would do. */
export class Steps {
  private sending = false;
  private measureTimer: ReturnType<typeof setTimeout> | undefined;
  private idle: (() => void)[] = [];
  /** What undo and redo would do, as the server told it last, and the revision that was of. */
  private told: Travels;
  /** The newest step made here that the server has taken: its event may come a while later. */
  private taken: { readonly revision: number; readonly label: string } | null = null;
  /** Steps made here that were refused: undo has nothing to take back of them. */
  private readonly gone = new Set<string>();
  private readonly id: string;

  constructor(
    private readonly store: StoreAccess,
    private readonly notices: Notices,
    private readonly pass: LivePass,
    { id, revision, undo, redo }: SessionState,
  ) {
    this.id = id;
    this.told = { revision, undo, redo };
  }

  /** Makes a step here and sends it; says why when it is not possible, and answers whether it was made. */
  take(step: Step): boolean {
    if (step.edits.length === 0) return false;
    if (this.pass.takes(step.edits)) {
      this.pass.show();
      return true;
    }
    const { sync, refused } = propose(this.store.get().sync, { id: crypto.randomUUID(), step });
    const [no] = refused;
    if (no) {
      this.notices.fault({
        what: `"${step.label}" is not possible.`,
        kept: "Nothing was changed.",
        todo: "",
        problems: [...no.problems],
      });
      return false;
    }
    this.put({ sync, refused });
    void this.send();
    return true;
  }

  /** Takes in steps that the server has stored, and what undo and redo would do now. */
  receive(
    steps: readonly (NamedStep & { readonly revision: number })[],
    { undo, redo }: Omit<Travels, "revision">,
  ): void {
    this.hear({ revision: steps.at(-1)?.revision ?? this.told.revision, undo, redo });
    const { sync } = this.store.get();
    const news = steps.filter((s) => s.revision > sync.revision);
    if (news.length > 0) this.put(receive(sync, news));
    else this.store.set(this.labels(sync));
  }

  async travel(direction: "undo" | "redo"): Promise<void> {
    const meant = this.store.get().sync.pending.at(-1)?.id;
    await this.settled();
    // What was to be taken back was refused, which has been said: the step below it is not what was meant.
    if (direction === "undo" && meant !== undefined && this.gone.delete(meant)) return;
    await api.travel(this.id, direction).then(
      ({ label, ...now }) => {
        this.hear(now);
        this.store.set(this.labels(this.store.get().sync));
        this.notices.news(`${direction === "undo" ? "Undone" : "Redone"}: ${label}`);
      },
      (error: unknown) => this.report(error),
    );
  }

  /** Resolves when the server has everything that was made here. */
  settled(): Promise<void> {
    if (this.store.get().sync.pending.length === 0 && !this.sending) return Promise.resolve();
    return new Promise((resolve) => this.idle.push(resolve));
  }

  report(error: unknown): void {
    if (!(error instanceof Refused)) throw error;
    this.notices.fault(error.fault);
  }

  scheduleMeasure(): void {
    clearTimeout(this.measureTimer);
    this.measureTimer = setTimeout(() => {
      const { load, sync, jobs } = this.store.get();
      const running = Object.values(jobs).some((j) => !isOver(j.status));
      if (running || load?.revision === sync.revision) return;
      api.measureLoad(this.id).catch(() => undefined);
    }, MEASURE_AFTER_MS);
  }

  stop(): void {
    clearTimeout(this.measureTimer);
  }

  private hear(news: Travels): void {
    if (news.revision >= this.told.revision) this.told = news;
  }

  /** Undo is there from the moment that something was done, not from when the server has heard of it. */
  private labels({ pending }: Sync): Pick<SessionStore, "undo" | "redo"> {
    const { told, taken } = this;
    const last = pending.at(-1)?.step.label ?? (taken && taken.revision > told.revision ? taken.label : null);
    return last === null ? { undo: told.undo, redo: told.redo } : { undo: last, redo: null };
  }

  private put({ sync, refused }: Outcome): void {
    const session = this.pass.ridden(sync.shown);
    const before = this.store.get().selected;
    const selected = before.filter((track) => session.tracks.some((t) => t.id === track));
    this.store.set({
      ...{ sync, session, ...this.labels(sync) },
      selected: selected.length === before.length ? before : selected,
    });
    for (const { id, step, problems } of refused) {
      this.gone.add(id);
      this.notices.fault({
        what: `"${step.label}" does not fit any more.`,
        kept: "Everything else is kept.",
        todo: "Look at the other change, and do yours again if you still want it.",
        problems: [...problems],
      });
    }
  }

  /** Sends what is pending, one request at a time, until nothing is. */
  private async send(): Promise<void> {
    if (this.sending) return;
    this.sending = true;
    try {
      for (let { sync } = this.store.get(); sync.pending.length > 0; sync = this.store.get().sync) {
        const batch = sync.pending.slice(0, BATCH).map(({ id, step }) => ({ id, step }));
        try {
          await this.post(sync.revision, batch);
          this.store.set({ online: true });
        } catch (error) {
          if (!(error instanceof Refused)) throw error;
          await this.refused(error, batch[0]);
        }
      }
    } finally {
      this.sending = false;
      for (const resume of this.idle) resume();
      this.idle = [];
    }
    this.scheduleMeasure();
  }

  private async post(base: number, batch: readonly NamedStep[]): Promise<void> {
    const posted = await api.postSteps(this.id, base, batch);
    if ("missing" in posted) return this.put(receive(this.store.get().sync, posted.missing));
    const last = batch.at(-1);
    if (last) this.taken = { revision: base + batch.length, label: last.step.label };
    const stored = batch.map((named, i) => ({ ...named, revision: base + 1 + i }));
    this.put(receive(this.store.get().sync, stored));
  }

  private async refused(error: Refused, first: NamedStep | undefined): Promise<void> {
    if (error.status !== 0 && error.status !== DISK_FULL && first) {
      this.gone.add(first.id);
      this.put(withdraw(this.store.get().sync, first.id));
      return this.notices.fault(error.fault);
    }
    // What was done stays here and is sent again: there may be room by then.
    if (error.status === DISK_FULL && this.store.get().online) this.notices.fault(error.fault);
    this.store.set({ online: false });
    await new Promise((resolve) => setTimeout(resolve, RETRY_MS));
  }
}
