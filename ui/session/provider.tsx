"use client";

import { createContext, useContext, useEffect, useState, type ReactNode } from "react";
import { toast } from "sonner";
import { useStore } from "zustand";
import { useShallow } from "zustand/react/shallow";
import type { ServiceFault } from "../../contract/job";
import type { SessionState } from "../../contract/session";
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

/**
 * Holds one session's store for all its screens and keeps it connected. `state`: a `SessionState` as JSON, written by
 * this server.
 */
export function SessionProvider({ state, children }: { readonly state: string; readonly children: ReactNode }) {
  const [store] = useState(() =>
    createSessionStore(JSON.parse(state) as SessionState, {
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
