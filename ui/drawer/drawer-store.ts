import { create } from "zustand";
import type { Clip } from "../../core/session/document";

/** What lies open between the lanes and the slip. */
interface Drawer {
  readonly open: "automation" | "notes" | "shelf" | "kit" | "nest" | "bend" | "row" | null;
  /** How many semitones the notes' drawing is moved up from where it fits by itself. */
  readonly lift: number;
  show(what: Drawer["open"]): void;
  raise(semitones: number): void;
}

/** What is opened of a clip. */
export const INSIDE: Readonly<Record<Clip["kind"], Drawer["open"]>> = { notes: "notes", nest: "nest", audio: "bend" };

export const useDrawer = create<Drawer>()((set, get) => ({
  open: null,
  lift: 0,
  show: (open) => set({ open, lift: 0 }),
  raise: (semitones) => set({ lift: get().lift + semitones }),
}));
