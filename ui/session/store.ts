import { doneElsewhere, doneNotice } from "./done-notice";
import { createStore } from "zustand/vanilla";
import type { Job, ServiceFault } from "../../contract/job";
import { isOver } from "../../contract/job";
import { declarationOfJob } from "../../contract/job-kinds";
import type { MeasuredLoad, SessionState, StepsEvent } from "../../contract/session";
import { MoveRecorder } from "../../core/printing/moves";
import type { Slip } from "../../core/printing/slip";
import type { Session } from "../../core/session/document";
import type { Edit, Step } from "../../core/session/edits";
import { applyStep } from "../../core/session/edits";
import type { Placing } from "../../core/session/import";
import type { ClipRef } from "../../core/session/move-clips";
import type { Outcome, Sync } from "../../core/session/sync";
import { propose, receive, startSync, withdraw } from "../../core/session/sync";
import type { TempoMap } from "../../core/time/tempo";
import { tempoMap } from "../../core/time/tempo";
import type { Frames } from "../../core/units";
import { DISK_FULL, Refused, api, savedAddress } from "./api";
import type { LoadNote } from "./load-history";
import { noted } from "./load-history";

export interface SelectedRange {
  readonly from: Frames;
  readonly to: Frames;
  readonly tracks: readonly string[];
}

/** Everything a screen shows, and the few ways to change it. Screens read `session`; changes go through `edit`. */
export interface SessionStore {
  readonly id: string;
  readonly session: Session;
  readonly sync: Sync;
  readonly undo: string | null;
  readonly redo: string | null;
  readonly load: MeasuredLoad | null;
  /** What was measured while this page is open, the last first. */
  readonly loads: readonly LoadNote[];
  /** Jobs that run, and the ones that ended while this page was open, by id. */
  readonly jobs: Readonly<Record<string, Job>>;
  readonly online: boolean;
  /** Tracks that a print of this page has just made. */
  readonly arrived: readonly string[];
  /** Ids of selected tracks, in the order they were chosen. */
  readonly selected: readonly string[];
  /** Clips that are chosen; the last one is the one whose numbers are shown. */
  readonly selectedClips: readonly ClipRef[];
  readonly selectedClip: ClipRef | null;
  /** A stretch of the timeline over some tracks. */
  readonly selectedRange: SelectedRange | null;
  /** Makes edits as one step; says why when they are not possible, and answers whether they were made. */
  edit(label: string, edits: readonly Edit[]): boolean;
  /** How many controls have been ridden in the live pass that is going on; null: there is none. */
  readonly riding: number | null;
  /**
   * From now on what hands turn is kept as moves, at the frames that `at` tells, instead of being an edit of the
   * session.
   */
  startRide(at: () => Frames): void;
  /** Keeps what a hand does before it lets go; answers whether a live pass is going on that took it. */
  ride(edits: readonly Edit[]): boolean;
  /** Ends the live pass: the session stands as it was before, and what was ridden is given out. */
  endRide(): Slip["moves"];
  /** A whole step made elsewhere, for instance a preflight fix. */
  take(step: Step): boolean;
  travel(direction: "undo" | "redo"): Promise<void>;
  freeze(tracks: readonly string[]): Promise<void>;
  print(slip: Slip): Promise<void>;
  /** Prints again from the sources as they are now, in place of the old prints. */
  refresh(prints: readonly string[], withTail?: boolean): Promise<void>;
  /** Brings a print's source back as it was; answers with the tracks that came back. */
  reopen(print: string): Promise<readonly string[]>;
  /** Has the mix before and after a print written, to be heard. */
  listen(print: string): Promise<void>;
  /** Lays an export's files on the session. */
  bringBack(handoff: string): Promise<void>;
  /** Holds an export against an earlier one. */
  differences(handoff: string, earlier: string): Promise<void>;
  /** Makes the session what it was at a point of its history; one step, which can be undone. */
  returnTo(revision: number): Promise<void>;
  /** Has a piece of audio written as a file, which the browser then saves; answers with the job. */
  saveAudio(how: Parameters<typeof api.saveAudio>[1]): Promise<string | null>;
  /** Finds what sounds different between two points of the history. */
  compareVersions(earlier: number, later: number): Promise<void>;
  /** All of the sheet, or what changed since an earlier export. */
  exportStems(since?: string | null, full?: boolean): Promise<void>;
  /** The session files of the sheet alone. */
  exportSessionFiles(): Promise<void>;
  /** Has a finished package read back and held to a fresh render. */
  prove(handoff: string): Promise<void>;
  /** Sends files and has them put on the timeline. */
  bringIn(files: readonly File[], place: Placing): Promise<void>;
  /** Puts files in the place of those that are missing. */
  supply(files: readonly File[]): Promise<void>;
  cancel(job: string): Promise<void>;
  select(tracks: readonly string[]): void;
  selectClip(clip: ClipRef | null): void;
  /** With `tracks`, those become the selected tracks; else the clips' own. */
  selectClips(clips: readonly ClipRef[], tracks?: readonly string[]): void;
  selectRange(range: SelectedRange | null): void;
  connect(): () => void;
}

/** Shown to the person: an error, or news. Given by the frame, so that this file has no interface in it. */
export interface Notices {
  fault(fault: ServiceFault): void;
  news(text: string): void;
  /** Hands a finished file to the browser, which saves it. */
  file(address: string, name: string): void;
  /** Whether the Bench is what is looked at. */
  onBench(): boolean;
}

/** The load is measured again this long after the last change. */
const MEASURE_AFTER_MS = 1500;
const RETRY_MS = 1500;

export function createSessionStore(state: SessionState, notices: Notices) {
  return createStore<SessionStore>()((set, get) => {
    const { id } = state;
    let sending = false;
    let measureTimer: ReturnType<typeof setTimeout> | undefined;
    let idle: (() => void)[] = [];
    /** Prints asked for on this page, and the tracks made by those that ended, until they are there. */
    const asked = new Set<string>();
    let expected: readonly string[] = [];
    /** Files asked for on this page: the browser saves them when they are made. */
    const saving = new Set<string>();
    let pass: { readonly recorder: MoveRecorder; readonly tempo: TempoMap; readonly at: () => Frames } | null = null;

    /** A session as the screens show it: with what is ridden held where hands have put it. */
    const ridden = (session: Session): Session => {
      const held = pass?.recorder.held(session) ?? [];
      const made = held.length > 0 ? applyStep(session, { label: "", edits: [...held] }) : null;
      return made?.ok ? made.value.session : session;
    };
    const rides = (edits: readonly Edit[]): boolean =>
      pass?.recorder.ride(edits, pass.tempo.toTicks(pass.at())) ?? false;

    /** What undo and redo would do, as the server told it last, and the revision that was of. */
    let told = { revision: state.revision, undo: state.undo, redo: state.redo };
    /** The newest step made here that the server has taken: its event may come a while later. */
    let taken: { readonly revision: number; readonly label: string } | null = null;
    /** Steps made here that were refused: undo has nothing to take back of them. */
    const gone = new Set<string>();
    const tell = (news: typeof told) => {
      if (news.revision >= told.revision) told = news;
    };
    /** Undo is there from the moment that something was done, not from when the server has heard of it. */
    const labels = ({ pending }: Sync): Pick<SessionStore, "undo" | "redo"> => {
      const last = pending.at(-1)?.step.label ?? (taken && taken.revision > told.revision ? taken.label : null);
      return last === null ? { undo: told.undo, redo: told.redo } : { undo: last, redo: null };
    };

    const put = ({ sync, refused }: Outcome) => {
      const session = ridden(sync.shown);
      const selected = get().selected.filter((track) => session.tracks.some((t) => t.id === track));
      set({
        ...{ sync, session, ...labels(sync) },
        selected: selected.length === get().selected.length ? get().selected : selected,
      });
      for (const { id, step, problems } of refused) {
        gone.add(id);
        notices.fault({
          what: `"${step.label}" does not fit any more.`,
          kept: "Everything else is kept.",
          todo: "Look at the other change, and do yours again if you still want it.",
          problems: [...problems],
        });
      }
    };
    /** A print's new tracks are shown when they come; the selection stays, so the slip stays about its sources. */
    const welcome = () => {
      if (expected.length === 0) return;
      const here = new Set(get().session.tracks.map((t) => t.id));
      if (!expected.every((id) => here.has(id))) return;
      const arrived = expected;
      expected = [];
      set({ arrived });
    };
    const report = (error: unknown) => {
      if (error instanceof Refused) notices.fault(error.fault);
      else throw error;
    };

    /** Sends what is pending, one request at a time, until nothing is. */
    const send = async () => {
      if (sending) return;
      sending = true;
      try {
        for (let { sync } = get(); sync.pending.length > 0; sync = get().sync) {
          const batch = sync.pending.slice(0, 100).map(({ id, step }) => ({ id, step }));
          try {
            const posted = await api.postSteps(id, sync.revision, batch);
            if ("missing" in posted) put(receive(get().sync, posted.missing));
            else {
              const last = batch.at(-1);
              if (last) taken = { revision: sync.revision + batch.length, label: last.step.label };
              put(
                receive(
                  get().sync,
                  batch.map((named, i) => ({ ...named, revision: sync.revision + 1 + i })),
                ),
              );
            }
            set({ online: true });
          } catch (error) {
            if (!(error instanceof Refused)) throw error;
            const [first] = batch;
            if (error.status === 0 || error.status === DISK_FULL || !first) {
              // What was done stays here and is sent again: there may be room by then.
              if (error.status === DISK_FULL && get().online) notices.fault(error.fault);
              set({ online: false });
              await new Promise((resolve) => setTimeout(resolve, RETRY_MS));
            } else {
              gone.add(first.id);
              put(withdraw(get().sync, first.id));
              notices.fault(error.fault);
            }
          }
        }
      } finally {
        sending = false;
        for (const resume of idle) resume();
        idle = [];
      }
      scheduleMeasure();
    };
    const settled = () =>
      get().sync.pending.length === 0 && !sending
        ? Promise.resolve()
        : new Promise<void>((resolve) => {
            idle.push(resolve);
          });

    const scheduleMeasure = () => {
      clearTimeout(measureTimer);
      measureTimer = setTimeout(() => {
        const { load, sync, jobs } = get();
        const running = Object.values(jobs).some((j) => !isOver(j.status));
        if (running || load?.revision === sync.revision) return;
        api.measureLoad(id).catch(() => undefined);
      }, MEASURE_AFTER_MS);
    };

    const onJob = (job: Job) => {
      const before = get().jobs[job.id];
      if (before && isOver(before.status)) return;
      set({ jobs: { ...get().jobs, [job.id]: job } });
      if (!isOver(job.status)) return;
      if (job.result?.kind === "print" && asked.has(job.id)) {
        expected = job.result.made.tracks;
        welcome();
      }
      if (job.status === "failed" && job.fault && !declarationOfJob(job.request.kind).unasked) notices.fault(job.fault);
      if (job.status === "cancelled") notices.news(declarationOfJob(job.request.kind).cancelled);
      if (job.status === "done") {
        const told = doneNotice(job);
        if (told !== null) notices.news(told);
        const aside = doneElsewhere(job, (id) => get().session.tracks.find((t) => t.id === id)?.name ?? "");
        if (aside !== null && !notices.onBench()) notices.news(aside);
      }
      if (job.result?.kind === "save audio" && saving.delete(job.id))
        notices.file(savedAddress(job.id), job.result.fileName);
      if (job.status === "done" && job.result?.kind === "import") {
        const { files, left } = job.result;
        const converted = files.filter((f) => f.converted).length;
        notices.news(
          `${files.length === 1 ? `${files[0]?.name ?? "A file"} is` : `${files.length} files are`} in.${converted > 0 ? ` ${files.length === 1 ? "It was" : converted === 1 ? "One was" : `${converted} were`} converted to the session's rate.` : ""}`,
        );
        if (left.length > 0)
          notices.fault({
            what: `${left.length === 1 ? "One file" : `${left.length} files`} could not be brought in.`,
            kept: "The others are in the session.",
            todo: "",
            problems: left.map((l) => ({ where: l.name, what: l.why })),
          });
      }
      scheduleMeasure();
    };

    const take = (step: Step): boolean => {
      if (step.edits.length === 0) return false;
      if (rides(step.edits)) {
        set({ session: ridden(get().sync.shown), riding: pass?.recorder.count ?? 0 });
        return true;
      }
      const { sync, refused } = propose(get().sync, { id: crypto.randomUUID(), step });
      const [no] = refused;
      if (no) {
        notices.fault({
          what: `"${step.label}" is not possible.`,
          kept: "Nothing was changed.",
          todo: "",
          problems: [...no.problems],
        });
        return false;
      }
      put({ sync, refused });
      void send();
      return true;
    };

    return {
      id,
      session: state.document,
      sync: startSync(state.document, state.revision),
      undo: state.undo,
      redo: state.redo,
      load: state.load,
      loads: state.load ? noted([], state.load, []) : [],
      jobs: {},
      online: true,
      arrived: [],
      selected: [],
      selectedClips: [],
      selectedClip: null,
      selectedRange: null,
      riding: null,
      startRide(at) {
        const { shown } = get().sync;
        const tempo = tempoMap(shown.tempo, shown.rate);
        pass = { tempo, at, recorder: new MoveRecorder(shown, Math.round(tempo.toTicks(at())), tempo) };
        set({ riding: 0 });
      },
      ride: (edits) => pass !== null && rides(edits),
      endRide() {
        const moves = pass?.recorder.lanes(() => crypto.randomUUID()) ?? [];
        pass = null;
        set({ riding: null, session: get().sync.shown });
        return moves;
      },
      edit: (label, edits) => take({ label, edits: [...edits] }),
      take,
      async travel(direction) {
        const meant = get().sync.pending.at(-1)?.id;
        await settled();
        // What was to be taken back was refused, which has been said: the step below it is not what was meant.
        if (direction === "undo" && meant !== undefined && gone.delete(meant)) return;
        await api.travel(id, direction).then(({ label, ...now }) => {
          tell(now);
          set(labels(get().sync));
          notices.news(`${direction === "undo" ? "Undone" : "Redone"}: ${label}`);
        }, report);
      },
      async freeze(tracks) {
        await settled();
        await api.freeze(id, tracks).then(onJob, report);
      },
      async bringIn(files, place) {
        await settled();
        try {
          const sent: { upload: string; name: string }[] = [];
          for (const file of files) sent.push({ upload: (await api.upload(file)).upload, name: file.name });
          onJob(await api.bringIn(id, sent, place));
        } catch (error) {
          report(error);
        }
      },
      async supply(files) {
        await settled();
        try {
          const sent: { upload: string; path: string }[] = [];
          for (const file of files) sent.push({ upload: (await api.upload(file)).upload, path: file.name });
          onJob(await api.supply(id, sent));
        } catch (error) {
          report(error);
        }
      },
      async print(slip) {
        await settled();
        await api.print(id, slip).then((job) => {
          asked.add(job.id);
          onJob(job);
        }, report);
      },
      async refresh(prints, withTail = false) {
        await settled();
        await api.refresh(id, prints, withTail).then(onJob, report);
      },
      async reopen(print) {
        await settled();
        return api.reopen(id, print).then(
          ({ tracks }) => tracks,
          (error: unknown) => {
            report(error);
            return [];
          },
        );
      },
      async listen(print) {
        await api.listen(id, print).then(onJob, report);
      },
      async exportStems(since = null, full = true) {
        await settled();
        await api.exportStems(id, { since, full, only: null }).then(onJob, report);
      },
      async exportSessionFiles() {
        await settled();
        await api.exportStems(id, { since: null, full: true, only: "session files" }).then(onJob, report);
      },
      async bringBack(handoff) {
        await settled();
        await api.bringBack(handoff).then(onJob, report);
      },
      async returnTo(revision) {
        await settled();
        await api.returnTo(id, revision).then(({ label }) => notices.news(`${label}. Undo takes it back.`), report);
      },
      async saveAudio(how) {
        try {
          const job = await api.saveAudio(id, how);
          saving.add(job.id);
          onJob(job);
          return job.id;
        } catch (error) {
          report(error);
          return null;
        }
      },
      async compareVersions(earlier, later) {
        await settled();
        await api.compareVersions(id, earlier, later).then(onJob, report);
      },
      differences: (handoff, earlier) => api.differences(handoff, earlier).then(onJob, report),
      prove: (handoff) => api.prove(handoff).then(onJob, report),
      cancel: (job) => api.cancel(job).then(onJob, report),
      select: (selected) => set({ selected, selectedClips: [], selectedClip: null }),
      selectClip: (clip) => get().selectClips(clip ? [clip] : []),
      selectClips: (selectedClips, tracks = [...new Set(selectedClips.map((c) => c.track))]) =>
        set({
          selectedClips,
          selectedClip: selectedClips.at(-1) ?? null,
          ...(tracks.length > 0 ? { selected: tracks } : {}),
        }),
      selectRange: (selectedRange) => set({ selectedRange }),
      connect() {
        let gone = false;
        /** Labels of the steps since the load was measured last. */
        let done: string[] = [];
        let source: EventSource;
        const open = () => {
          source = new EventSource(`/api/sessions/${id}/events?after=${get().sync.revision}`);
          source.addEventListener("steps", (event) => {
            const { steps, undo, redo } = JSON.parse((event as MessageEvent<string>).data) as StepsEvent;
            tell({ revision: steps.at(-1)?.revision ?? told.revision, undo, redo });
            const news = steps.filter((s) => s.revision > get().sync.revision);
            done.push(...steps.filter((s) => s.revision > (get().load?.revision ?? -1)).map((s) => s.step.label));
            if (news.length > 0) put(receive(get().sync, news));
            else set(labels(get().sync));
            welcome();
            scheduleMeasure();
          });
          source.addEventListener("job", (event) => onJob(JSON.parse((event as MessageEvent<string>).data) as Job));
          source.addEventListener("load", (event) => {
            const load = JSON.parse((event as MessageEvent<string>).data) as MeasuredLoad | null;
            const before = get().load;
            if (load && load.revision !== before?.revision) {
              set({ load, loads: noted(get().loads, load, done) });
              done = [];
            }
            if (!load) scheduleMeasure();
          });
          source.addEventListener("open", () => set({ online: true }));
          source.addEventListener("error", () => {
            set({ online: false });
            // The browser tries again by itself after a broken line, but not after an answer that was an error.
            if (source.readyState === EventSource.CLOSED)
              setTimeout(() => {
                if (!gone) open();
              }, RETRY_MS);
          });
        };
        open();
        return () => {
          gone = true;
          source.close();
          clearTimeout(measureTimer);
        };
      },
    };
  });
}

export type SessionStoreApi = ReturnType<typeof createSessionStore>;
