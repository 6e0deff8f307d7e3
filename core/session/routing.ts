import type { Session, Track } from "./document";

/** Tracks whose signal `track` needs before it can sound: what is routed or sent to it, and the keys of its devices. */
export function feeds(session: Session, track: Track): readonly Track[] {
  const keys = new Set(track.frozen ? [] : track.devices.map((d) => d.key));
  return session.tracks.filter(
    (t) => t.output === track.id || t.sends.some((s) => s.to === track.id) || keys.has(t.id),
  );
}

/** The names along a circle in the routing, first one repeated at the end; or null. */
export function findCycle(session: Session): readonly string[] | null {
  const done = new Set<string>();
  const path: Track[] = [];
  const visit = (track: Track): readonly string[] | null => {
    const from = path.indexOf(track);
    if (from >= 0) return [...path.slice(from), track].map((t) => t.name || "unnamed").reverse();
    if (done.has(track.id)) return null;
    path.push(track);
    for (const feed of feeds(session, track)) {
      const cycle = visit(feed);
      if (cycle) return cycle;
    }
    path.pop();
    done.add(track.id);
    return null;
  };
  for (const track of session.tracks) {
    const cycle = visit(track);
    if (cycle) return cycle;
  }
  return null;
}

export const mixOf = (session: Session): Track => {
  const mix = session.tracks.find((t) => t.kind === "mix");
  if (!mix) throw new RangeError("a session has exactly one mix");
  return mix;
};

/** The track with an id; a checked session never asks for one that is missing. */
export const trackOf = (session: Session, id: string): Track => {
  const track = session.tracks.find((t) => t.id === id);
  if (!track) throw new RangeError(`there is no track "${id}"`);
  return track;
};
