import { create } from "zustand";

/** What lies open between the lanes and the slip. */
interface Drawer {
  readonly open: "automation" | "notes" | "shelf" | "kit" | "nest" | null;
  /** How many semitones the notes' drawing is moved up from where it fits by itself. */
  readonly lift: number;
  show(what: Drawer["open"]): void;
  raise(semitones: number): void;
}

export const useDrawer = create<Drawer>()((set, get) => ({
  open: null,
  lift: 0,
  show: (open) => set({ open, lift: 0 }),
  raise: (semitones) => set({ lift: get().lift + semitones }),
}));
