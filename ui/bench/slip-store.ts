import { create } from "zustand";
import { persist } from "zustand/middleware";
import type { Session } from "../../core/session/document";
import type { Slip } from "../../core/printing/slip";
import { fitted, plainSlip } from "../../core/printing/slip";
import type { SessionStore } from "../session/store";

/** What a slip says beside which tracks and clips it is about. */
export type Wanted = Omit<Slip, "tracks" | "clips">;

interface SlipState {
  /** Whether the foot of the Bench freezes (reversible) or prints. */
  readonly mode: "freeze" | "print";
  readonly wanted: Wanted;
  /** Only the chosen clips, where there are some. */
  readonly chosenOnly: boolean;
  /** The last print that was asked for, to be done again on something else. */
  readonly last: Wanted | null;
  show(mode: SlipState["mode"]): void;
  want(patch: Partial<Wanted>): void;
  only(chosenOnly: boolean): void;
  remember(slip: Slip): void;
}

export const wantedOf = ({ tracks: _tracks, clips: _clips, ...wanted }: Slip): Wanted => wanted;

/** The slip as it is being written, kept in the browser from session to session. */
export const useSlip = create<SlipState>()(
  persist((set, get) => ({
    mode: "freeze", wanted: wantedOf(plainSlip([])), chosenOnly: true, last: null,
    show: (mode) => set({ mode }),
    want: (patch) => set({ wanted: { ...get().wanted, ...patch }, mode: "print" }),
    only: (chosenOnly) => set({ chosenOnly }),
    remember: (slip) => set({ last: wantedOf(slip) }),
  }), { name: "stemzo-slip", skipHydration: true, partialize: ({ wanted, last }) => ({ wanted, last }) }),
);

type Chosen = Pick<SessionStore, "selected" | "selectedClips">;

/** The slip for what is selected: its clips, where clips are chosen, else its tracks. */
export function slipFor(session: Session, { selected, selectedClips }: Chosen, wanted: Wanted, chosenOnly: boolean): Slip {
  const tracks = session.tracks.filter((t) => selected.includes(t.id) && !t.parked).map((t) => t.id);
  const clips = selectedClips.filter((c) => tracks.includes(c.track)).map((c) => c.clip);
  return fitted({ ...wanted, tracks, clips: chosenOnly && clips.length > 0 ? clips : null }, session);
}
