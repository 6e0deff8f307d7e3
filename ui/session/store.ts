import { createStore } from "zustand/vanilla";
import type { SessionState } from "../../contract/session";
import { startSync } from "../../core/session/sync";
import { listenTo } from "./events";
import { jobsPart } from "./jobs-part";
import { LivePass } from "./live-pass";
import { noted } from "./load-history";
import type { Notices, SessionStore, StoreAccess } from "./session-store";
import { Steps } from "./steps";

export function createSessionStore(state: SessionState, notices: Notices) {
  return createStore<SessionStore>()((set, get) => {
    const access: StoreAccess = { get, set };
    const pass = new LivePass(access);
    const steps = new Steps(access, notices, pass, state);
    const jobs = jobsPart(access, notices, steps);
    return {
      id: state.id,
      session: state.document,
      sync: startSync(state.document, state.revision),
      undo: state.undo,
      redo: state.redo,
      load: state.load,
      loads: state.load ? noted([], state.load, []) : [],
      jobs: {},
      online: true,
      arrived: [],
      selected: [],
      selectedClips: [],
      selectedClip: null,
      selectedRange: null,
      riding: null,
      startRide: (at) => pass.start(at),
      ride: (edits) => pass.takes(edits),
      endRide: () => pass.end(),
      edit: (label, edits) => steps.take({ label, edits: [...edits] }),
      take: (step) => steps.take(step),
      travel: (direction) => steps.travel(direction),
      ...jobs.asking,
      select: (selected) => set({ selected, selectedClips: [], selectedClip: null }),
      selectClip: (clip) => get().selectClips(clip ? [clip] : []),
      selectClips: (selectedClips, tracks = [...new Set(selectedClips.map((c) => c.track))]) =>
        set({
          selectedClips,
          selectedClip: selectedClips.at(-1) ?? null,
          ...(tracks.length > 0 ? { selected: tracks } : {}),
        }),
      selectRange: (selectedRange) => set({ selectedRange }),
      connect: () => listenTo(access, steps, jobs),
    };
  });
}

export type SessionStoreApi = ReturnType<typeof createSessionStore>;
