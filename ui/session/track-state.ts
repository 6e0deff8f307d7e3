import { isStale } from "../../core/printing/fingerprint";
import type { Session, Track } from "../../core/session/document";
import { shownName } from "../../core/session/names";

/** What a track is at the moment, in the words the interface uses; each has a texture of its own. */
export type TrackState = "live" | "frozen" | "stale" | "printed" | "parked";

const known = new WeakMap<Session, Map<string, TrackState>>();

/** The state of every track by id; computed once for a session value. */
export function trackStates(session: Session): ReadonlyMap<string, TrackState> {
  const before = known.get(session);
  if (before) return before;
  const printed = new Set(session.assets.filter((a) => a.origin === "printed").map((a) => a.id));
  const states = new Map(session.tracks.map((t) => [t.id, stateOf(session, t, printed)]));
  known.set(session, states);
  return states;
}

function stateOf(session: Session, track: Track, printed: ReadonlySet<string>): TrackState {
  if (track.parked) return "parked";
  if (track.frozen) return isStale(session, track) ? "stale" : "frozen";
  return track.clips.length > 0 && track.clips.every((c) => c.kind === "audio" && printed.has(c.asset))
    ? "printed"
    : "live";
}

export const trackName = (track: Track): string => shownName(track);
