import { create } from "zustand";

export type Leaf = "history" | "results" | "loudness" | "phrases";

/** Which leaf of the side sheet is open; null: none is. */
interface SideSheet {
  readonly leaf: Leaf | null;
  /** The newest point is being given a name. */
  readonly naming: boolean;
  open(leaf: Leaf, naming?: boolean): void;
  close(): void;
}

export const useSideSheet = create<SideSheet>()((set, get) => ({
  leaf: null,
  naming: false,
  open: (leaf, naming = false) => set({ leaf: get().leaf === leaf && !naming ? null : leaf, naming }),
  close: () => set({ leaf: null, naming: false }),
}));
