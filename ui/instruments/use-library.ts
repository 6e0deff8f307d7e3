"use client";

import { useCallback, useEffect, useState } from "react";
import { toast } from "sonner";
import type { InstrumentFile } from "../../contract/instruments";
import { isOver } from "../../contract/job";
import type { Gathered } from "../intake/gather";
import { api, whyRefused } from "../session/api";

const LOOK_EVERY_MS = 300;

/** Files of instruments, which belong to all sessions. */
export function useLibrary() {
  const [files, setFiles] = useState<readonly InstrumentFile[] | null>(null);
  /** What is being added, in words. */
  const [adding, setAdding] = useState<string | null>(null);
  const load = useCallback(
    () => api.instruments().then(setFiles, (error: unknown) => void toast.error(whyRefused(error))),
    [],
  );
  useEffect(() => void load(), [load]);

  const add = async (chosen: readonly Gathered[]): Promise<void> => {
    try {
      const sent: { readonly upload: string; readonly path: string }[] = [];
      for (const { file, path } of chosen) {
        setAdding(`Sending ${file.name} …`);
        sent.push({ upload: (await api.upload(file)).upload, path });
      }
      let job = await api.addInstruments(sent);
      while (!isOver(job.status)) {
        setAdding(`${job.progress.stage || "Reading"} …`);
        await new Promise((done) => setTimeout(done, LOOK_EVERY_MS));
        job = await api.job(job.id);
      }
      if (job.fault) toast.error(`${job.fault.what} ${job.fault.todo}`);
      const left = job.result?.kind === "add instruments" ? job.result.left : [];
      for (const { name, why } of left) toast.error(`${name} was left out: ${why}.`);
      await load();
    } catch (error) {
      toast.error(whyRefused(error));
    } finally {
      setAdding(null);
    }
  };

  const remove = async (file: InstrumentFile): Promise<void> => {
    try {
      await api.deleteInstruments(file.id);
      toast(`${file.name} is removed. Sessions keep what they play of it.`);
    } catch (error) {
      toast.error(whyRefused(error));
    }
    await load();
  };

  return { files, adding, add, remove };
}
