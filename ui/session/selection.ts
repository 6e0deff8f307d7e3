import type { Session } from "../../core/session/document";
import { trackStates } from "./track-state";

/** Tracks of a selection by what can be done with them. */
export function sortSelection(session: Session, selected: readonly string[]) {
  const states = trackStates(session);
  const tracks = session.tracks.filter((t) => selected.includes(t.id));
  const sources = tracks.filter(
    (t) => (t.kind === "audio" || t.kind === "instrument") && !t.parked && t.clips.length > 0,
  );
  return {
    tracks,
    toFreeze: sources.filter(
      (t) => states.get(t.id) === "live" || states.get(t.id) === "printed" || states.get(t.id) === "stale",
    ),
    frozen: sources.filter((t) => t.frozen !== null),
    fresh: sources.filter((t) => states.get(t.id) === "frozen"),
    parked: tracks.filter((t) => t.parked),
  };
}
