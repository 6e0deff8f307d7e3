import { create } from "zustand";
import type { Session } from "../../core/session/document";
import { useSession } from "../session/provider";

/** Whether tracks that are out of sight are shown all the same; not part of the session. */
export const useHidden = create<{ readonly shown: boolean; toggle(): void }>()((set, get) => ({
  shown: false,
  toggle: () => set({ shown: !get().shown }),
}));

const without = new WeakMap<Session, Session>();

/**
 * A session with only the tracks that have a row; the same value for the same session. What something in sight runs
 * into, or is steered by, stays in sight.
 */
export function rowsOf(session: Session, hiddenToo: boolean): Session {
  if (hiddenToo || !session.tracks.some((t) => t.hidden)) return session;
  const known = without.get(session);
  if (known) return known;
  const inSight = session.tracks.filter((t) => !t.hidden);
  const needed = new Set(
    inSight.flatMap((t) => [t.output, ...t.sends.map((s) => s.to), ...t.devices.map((d) => d.key)]),
  );
  const made: Session = { ...session, tracks: session.tracks.filter((t) => !t.hidden || needed.has(t.id)) };
  without.set(session, made);
  return made;
}

/** The session as the Bench lays it out in rows. */
export function useRows(): Session {
  const hiddenToo = useHidden((h) => h.shown);
  return useSession((s) => rowsOf(s.session, hiddenToo));
}
