import { create } from "zustand";

interface Dialogs {
  readonly open: "palette" | "keys" | "tempo" | null;
  show(what: Dialogs["open"]): void;
}

/** What lies over the whole frame. */
export const useDialogs = create<Dialogs>()((set) => ({ open: null, show: (open) => set({ open }) }));
