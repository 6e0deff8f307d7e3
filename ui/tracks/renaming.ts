import { create } from "zustand";

/** The track whose name is being written, where an action asked for it. */
export const useRenaming = create<{ readonly track: string | null }>()(() => ({ track: null }));
