import { toast } from "sonner";
import { create } from "zustand";
import type { InstrumentFile } from "../../contract/instruments";
import { isOver } from "../../contract/job-progress";
import type { Gathered } from "../intake/gather";
import { api, whyRefused } from "../session/api";

const LOOK_EVERY_MS = 300;

/** Files of instruments, which belong to all sessions. */
interface Library {
  /** Null: not read yet. */
  readonly files: readonly InstrumentFile[] | null;
  /** What is being added, in words. */
  readonly adding: string | null;
  load(): Promise<void>;
  add(chosen: readonly Gathered[]): Promise<void>;
  remove(file: InstrumentFile): Promise<void>;
}

export const useLibrary = create<Library>()((set, get) => ({
  files: null,
  adding: null,
  async load() {
    try {
      set({ files: await api.instruments() });
    } catch (error) {
      toast.error(whyRefused(error));
    }
  },
  async add(chosen) {
    const say = (adding: string | null) => set({ adding });
    try {
      const sent: { readonly upload: string; readonly path: string }[] = [];
      for (const { file, path } of chosen) {
        say(`Sending ${file.name} …`);
        sent.push({ upload: (await api.upload(file)).upload, path });
      }
      let job = await api.addInstruments(sent);
      while (!isOver(job.status)) {
        say(`${job.progress.stage || "Reading"} …`);
        await new Promise((done) => setTimeout(done, LOOK_EVERY_MS));
        job = await api.job(job.id);
      }
      if (job.fault) toast.error(`${job.fault.what} ${job.fault.todo}`);
      const left = job.result?.kind === "add instruments" ? job.result.left : [];
      for (const { name, why } of left) toast.error(`${name} was left out: ${why}.`);
      await get().load();
    } catch (error) {
      toast.error(whyRefused(error));
    } finally {
      say(null);
    }
  },
  async remove(file) {
    try {
      await api.deleteInstruments(file.id);
      toast(`${file.name} is removed. Sessions keep what they play of it.`);
    } catch (error) {
      toast.error(whyRefused(error));
    }
    await get().load();
  },
}));
