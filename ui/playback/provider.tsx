"use client";

import { createContext, useContext, useEffect, useRef, useState, type ReactNode } from "react";
import { toast } from "sonner";
import { useStore } from "zustand";
import { useShallow } from "zustand/react/shallow";
import { useSessionStore } from "../session/provider";
import type { Playback, PlaybackStoreApi } from "./store";
import { createPlaybackStore } from "./store";

const Context = createContext<PlaybackStoreApi | null>(null);

/** Holds the playing of one session for all its screens: it goes on from one to the other. */
export function PlaybackProvider({ children }: { readonly children: ReactNode }) {
  const session = useSessionStore();
  const [store] = useState(() =>
    createPlaybackStore(session, {
      failed: (what, todo) =>
        toast.error(what, { description: `Playing has stopped; the session is as it was.\n${todo}`, duration: 12_000 }),
      behind: () =>
        toast.warning("Playing takes more than this machine can compute.", {
          description: "Freeze what costs most, with the button above, and it plays on.",
          duration: 8_000,
        }),
    }),
  );
  useEffect(() => store.getState().connect(), [store]);
  return <Context.Provider value={store}>{children}</Context.Provider>;
}

export function usePlaybackStore(): PlaybackStoreApi {
  const store = useContext(Context);
  if (!store) throw new Error("this part is shown outside a session");
  return store;
}

/** Several values of the playback at once; the part is drawn again when one of them changes. */
export const usePlayback = <T extends object>(pick: (state: Playback) => T): T =>
  useStore(usePlaybackStore(), useShallow(pick));

const CALM_MS = 150;

/**
 * Calls `draw` before every picture the browser makes while something plays, and once whenever that or `also` changes.
 */
export function useEveryPicture(draw: (playback: Playback) => void, also: unknown): void {
  const store = usePlaybackStore();
  const latest = useRef(draw);
  useEffect(() => {
    latest.current = draw;
  });
  const { state, jumps } = usePlayback((p) => ({ state: p.state, jumps: p.jumps }));
  useEffect(() => {
    let handle = 0;
    // For a moment after the end too: what is shown may still have to come to rest.
    const until = state === "stopped" ? performance.now() + 700 : Infinity;
    // Who has asked for less motion gets steps.
    const calm = matchMedia("(prefers-reduced-motion: reduce)").matches;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const turn = () => {
      latest.current(store.getState());
      if (performance.now() >= until) return;
      if (calm) timer = setTimeout(turn, CALM_MS);
      else handle = requestAnimationFrame(turn);
    };
    turn();
    return () => {
      cancelAnimationFrame(handle);
      clearTimeout(timer);
    };
  }, [store, state, jumps, also]);
}
