import { audioFormats } from "../../core/formats/registry";
import { create } from "zustand";
import type { Frames } from "../../core/units";

/** Files that are about to be imported, and where they were dropped. */
export interface Waiting {
  readonly files: readonly File[];
  /** Where they were dropped: a frame of the timeline, and a track; null when they were chosen from a list. */
  readonly dropped: { readonly frame: Frames; readonly track: string | null } | null;
}

interface ImportState {
  readonly waiting: Waiting | null;
  offer(files: readonly File[], dropped: Waiting["dropped"]): void;
  close(): void;
}

export const useImport = create<ImportState>()((set) => ({
  waiting: null,
  offer: (files, dropped) => {
    if (files.length > 0) set({ waiting: { files, dropped } });
  },
  close: () => set({ waiting: null }),
}));

/** Asks for files with the system's own dialog. */
export function chooseFiles(): void {
  const input = document.createElement("input");
  input.type = "file";
  input.multiple = true;
  input.accept = ["audio/*", ...audioFormats.flatMap((f) => f.endings), ".mid", ".midi"].join(",");
  input.addEventListener("change", () => useImport.getState().offer([...(input.files ?? [])], null));
  input.click();
}

export const isMidi = (file: File): boolean => /\.midi?$/i.test(file.name);
