import type { Job } from "../../contract/job";
import { isOver } from "../../contract/job-progress";
import type { ResultOf } from "../../contract/job-kinds";
import { jobWords } from "../../contract/job-words";
import { api, savedAddress } from "./api";
import { stepOfJob, useFirstSteps } from "./first-steps";
import { doneElsewhere, doneNotice } from "./done-notice";
import type { Steps } from "./steps";
import type { Notices, SessionStore, StoreAccess } from "./session-store";

type Asking = Pick<
  SessionStore,
  | "freeze"
  | "print"
  | "refresh"
  | "reopen"
  | "listen"
  | "bringBack"
  | "differences"
  | "returnTo"
  | "saveAudio"
  | "compareVersions"
  | "exportStems"
  | "exportSessionFiles"
  | "prove"
  | "bringIn"
  | "supply"
  | "putInstruments"
  | "cancel"
>;

export interface JobsPart {
  readonly asking: Asking;
  /** A job as it is now. */
  onJob(job: Job): void;
  /** Shows the new tracks of prints that were asked for here, once they are there. */
  welcome(): void;
}

/** Jobs of a session: asked for on this page, followed, and told of when they end. */
export function jobsPart(store: StoreAccess, notices: Notices, steps: Steps): JobsPart {
  /** Prints asked for on this page, and the tracks made by those that ended, until they are there. */
  const printing = new Set<string>();
  let expected: readonly string[] = [];
  /** Files asked for on this page: the browser saves them when they are made. */
  const saving = new Set<string>();
  const id = () => store.get().id;
  const report = (error: unknown) => steps.report(error);

  const welcome = () => {
    if (expected.length === 0) return;
    const here = new Set(store.get().session.tracks.map((t) => t.id));
    if (!expected.every((track) => here.has(track))) return;
    const arrived = expected;
    expected = [];
    store.set({ arrived });
  };
  const notifyEnd = (job: Job) => {
    const words = jobWords[job.request.kind];
    if (job.status === "failed" && job.fault && !words.unasked) notices.fault(job.fault);
    if (job.status === "cancelled") notices.news(words.cancelled);
    if (job.status !== "done") return;
    const news = doneNotice(job);
    if (news !== null) notices.news(news);
    const aside = doneElsewhere(job, (id) => store.get().session.tracks.find((t) => t.id === id)?.name ?? "");
    if (aside !== null && !notices.onBench()) notices.news(aside);
    if (job.result?.kind === "import") notifyImport(notices, job.result);
  };
  const onJob = (job: Job) => {
    const before = store.get().jobs[job.id];
    if (before && isOver(before.status)) return;
    store.set({ jobs: { ...store.get().jobs, [job.id]: job } });
    if (!isOver(job.status)) return;
    const step = stepOfJob(job);
    if (step) useFirstSteps.getState().tick(step);
    if (job.result?.kind === "print" && printing.has(job.id)) {
      expected = job.result.made.tracks;
      welcome();
    }
    notifyEnd(job);
    if (job.result?.kind === "save audio" && saving.delete(job.id))
      notices.file(savedAddress(job.id), job.result.fileName);
    steps.scheduleMeasure();
  };
  /** Asks for a job once the server has what was made here. */
  const ask = async (request: () => Promise<Job>): Promise<Job | null> => {
    await steps.settled();
    try {
      const job = await request();
      if (job.request.kind === "print") printing.add(job.id);
      if (job.request.kind === "save audio") saving.add(job.id);
      onJob(job);
      return job;
    } catch (error) {
      report(error);
      return null;
    }
  };
  const uploaded = async (files: readonly File[]) => {
    const sent: { readonly upload: string; readonly name: string }[] = [];
    for (const file of files) sent.push({ upload: (await api.upload(file)).upload, name: file.name });
    return sent;
  };

  const asking: Asking = {
    freeze: async (tracks) => void (await ask(() => api.freeze(id(), tracks))),
    print: async (slip) => void (await ask(() => api.print(id(), slip))),
    refresh: async (prints, withTail = false) => void (await ask(() => api.refresh(id(), prints, withTail))),
    listen: async (print) => void (await ask(() => api.listen(id(), print))),
    exportStems: async (since = null, full = true) =>
      void (await ask(() => api.exportStems(id(), { since, full, only: null }))),
    exportSessionFiles: async () =>
      void (await ask(() => api.exportStems(id(), { since: null, full: true, only: "session files" }))),
    bringBack: async (handoff) => void (await ask(() => api.bringBack(handoff))),
    saveAudio: async (how) => (await ask(() => api.saveAudio(id(), how)))?.id ?? null,
    compareVersions: async (earlier, later) => void (await ask(() => api.compareVersions(id(), earlier, later))),
    differences: async (handoff, earlier) => void (await ask(() => api.differences(handoff, earlier))),
    prove: async (handoff) => void (await ask(() => api.prove(handoff))),
    bringIn: async (files, place) => void (await ask(async () => api.bringIn(id(), await uploaded(files), place))),
    supply: async (files) =>
      void (await ask(async () =>
        api.supply(
          id(),
          (await uploaded(files)).map(({ upload, name }) => ({ upload, path: name })),
        ),
      )),
    putInstruments: async (file, puts, attenuation = 1) =>
      void (await ask(() => api.putInstruments(id(), { file, puts: [...puts], attenuation }))),
    cancel: (job) => api.cancel(job).then(onJob, report),
    async reopen(print) {
      await steps.settled();
      try {
        return (await api.reopen(id(), print)).tracks;
      } catch (error) {
        report(error);
        return [];
      }
    },
    async returnTo(revision) {
      await steps.settled();
      await api.returnTo(id(), revision).then(({ label }) => notices.news(`${label}. Undo takes it back.`), report);
    },
  };
  return { asking, onJob, welcome };
}

function notifyImport(notices: Notices, { files, left }: ResultOf<"import">): void {
  const converted = files.filter((f) => f.converted).length;
  const came = files.length === 1 ? `${files[0]?.name ?? "A file"} is in.` : `${files.length} files are in.`;
  const which = files.length === 1 ? "It was" : converted === 1 ? "One was" : `${converted} were`;
  notices.news(converted > 0 ? `${came} ${which} converted to the session's rate.` : came);
  if (left.length > 0)
    notices.fault({
      what: `${left.length === 1 ? "One file" : `${left.length} files`} could not be imported.`,
      kept: "The others are in the session.",
      todo: "",
      problems: left.map((l) => ({ where: l.name, what: l.why })),
    });
}
