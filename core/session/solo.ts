import type { Session, Track } from "./document";

/**
 * The session as it is auditioned with some tracks soloed: they, what flows into them, and the way from them to the mix
 * stay; what else makes sound is shut, its sends too. Keys go on steering, returns go on sounding for what still
 * reaches them. For listening, and for a print only where somebody asks for what they hear: fingerprints never see it.
 */
export function asHeard(session: Session, soloed: ReadonlySet<string>): Session {
  if (soloed.size === 0) return session;
  const byId = new Map(session.tracks.map((t) => [t.id, t]));
  const open = new Set<string>();
  const below = (id: string) => {
    if (open.has(id)) return;
    open.add(id);
    for (const track of session.tracks)
      if (track.output === id || track.sends.some((s) => s.to === id)) below(track.id);
  };
  const above = (track: Track | undefined) => {
    for (let at = track; at; at = at.output === null ? undefined : byId.get(at.output)) open.add(at.id);
  };
  for (const id of soloed) {
    if (byId.get(id)?.kind === "group" || byId.get(id)?.kind === "return") below(id);
    above(byId.get(id));
  }
  // Groups and returns make nothing themselves; shutting one would shut what is open in front of it.
  const shut = (t: Track) => !open.has(t.id) && (t.kind === "audio" || t.kind === "instrument");
  return {
    ...session,
    tracks: session.tracks.map((t) =>
      shut(t)
        ? {
            ...t,
            mute: true,
            sends: [],
            automation: t.automation.filter((a) => a.target !== "mute" && a.target !== "send"),
          }
        : t,
    ),
  };
}
