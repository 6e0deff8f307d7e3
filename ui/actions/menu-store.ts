import { create } from "zustand";

/** What a context menu is about. `session`: nothing in particular. */
export type MenuKind = "track" | "clip" | "range" | "ruler" | "session";

/** What was pointed at last with the right button, by what lies there; null: nothing said so. */
export const useMenu = create<{ readonly kind: MenuKind | null }>()(() => ({ kind: null }));

/** For handlers of `contextmenu`: what lies here is of a kind. The menu itself opens further up. */
export const askMenu = (kind: MenuKind): void => useMenu.setState({ kind });
