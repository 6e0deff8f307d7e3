import { byId } from "../by-id";
import type { Session, Track } from "./document";
import { onward, summedIn } from "./routing";

/**
 * The session as it is auditioned with some tracks soloed: they, what flows into them, and the way from them to the mix
 * stay; what else makes sound is shut, its sends too. Keys go on steering, returns go on sounding for what still
 * reaches them. For listening, and for a print only where that is asked for: fingerprints never see it.
 */
export function asHeard(session: Session, soloed: ReadonlySet<string>): Session {
  if (soloed.size === 0) return session;
  const tracks = byId(session.tracks);
  const open = new Set<string>();
  const fed = (id: string) => {
    if (open.has(id)) return;
    open.add(id);
    for (const track of summedIn(session, id)) fed(track.id);
  };
  for (const id of soloed) {
    const track = tracks.get(id);
    if (!track) continue;
    if (track.kind === "group" || track.kind === "return") fed(id);
    for (const on of [track, ...onward(session, track)]) open.add(on.id);
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
