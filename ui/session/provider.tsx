"use client";

import { createContext, use, useContext, useEffect, useState, type ReactNode } from "react";
import { toast } from "sonner";
import { useStore } from "zustand";
import { useShallow } from "zustand/react/shallow";
import type { ServiceFault } from "../../contract/job";
import type { SessionState } from "../../contract/session";
import { api } from "./api";
import { handedState, takeAsked } from "./page-state";
import type { SessionStore } from "./session-store";
import type { SessionStoreApi } from "./store";
import { createSessionStore } from "./store";

const Context = createContext<SessionStoreApi | null>(null);

/** A refusal as its three sentences. */
export const showFault = ({ what, kept, todo, problems }: ServiceFault) =>
  toast.error(what, {
    description: [...problems.slice(0, 3).map((p) => `${p.where}: ${p.what}`), kept, todo]
      .filter((line) => line !== "")
      .join("\n"),
    duration: 12_000,
  });

/** States that are being fetched, by session. */
const fetching = new Map<string, Promise<SessionState>>();

/** The state that the page asked for, or, on a page that is reached without being loaded, a newly fetched one. */
function fetchState(id: string): Promise<SessionState> {
  const here = fetching.get(id);
  if (here) return here;
  const state = takeAsked(id)?.then((found) => found ?? api.session(id)) ?? api.session(id);
  fetching.set(id, state);
  // The next visit reads it anew.
  void state.catch(() => undefined).then(() => setTimeout(() => fetching.delete(id), FETCHED_MS));
  return state;
}
const FETCHED_MS = 5000;

/** The state to begin with. */
function useFirstState(id: string, handed: string): SessionState {
  const [first] = useState(() => (typeof window === "undefined" ? handedState(handed) : fetchState(id)));
  if (!first) throw new Error(`session ${id} was not handed to its page`);
  return first instanceof Promise ? use(first) : first;
}

/** Holds one session's store for all its screens and keeps it connected. `handed`: see `handToPage`. */
export function SessionProvider({
  id,
  handed,
  children,
}: {
  readonly id: string;
  readonly handed: string;
  readonly children: ReactNode;
}) {
  const state = useFirstState(id, handed);
  const [store] = useState(() =>
    createSessionStore(state, {
      fault: showFault,
      news: (text) => toast(text),
      file: (address, name) => {
        const link = document.createElement("a");
        link.href = address;
        link.download = name;
        link.click();
      },
      onBench: () => /^\/s\/[^/]+\/?$/.test(location.pathname),
    }),
  );
  useEffect(() => store.getState().connect(), [store]);
  return <Context.Provider value={store}>{children}</Context.Provider>;
}

export function useSessionStore(): SessionStoreApi {
  const store = useContext(Context);
  if (!store) throw new Error("this part is shown outside a session");
  return store;
}

/** One value of the session's store; the part is drawn again when that value changes. */
export const useSession = <T,>(pick: (state: SessionStore) => T): T => useStore(useSessionStore(), pick);

/** Several values at once, compared one by one. */
export const useSessionParts = <T extends object>(pick: (state: SessionStore) => T): T =>
  useStore(useSessionStore(), useShallow(pick));
