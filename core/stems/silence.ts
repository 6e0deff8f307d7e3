import type { Tap } from "../engine/tap";
import { wire } from "../engine/wiring";
import { clipSpan } from "../session/clips";
import type { Session } from "../session/document";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";

/** Why a file has no sound in it though nothing is wrong: nothing is placed there, or all of it is muted. Null: it should sound. */
export type Silence = "nothing placed" | "muted" | null;

/** Whether anything a tap hears is placed between two frames, and lets sound through. */
export function silenceOf(session: Session, tap: Tap, from: Frames, to: Frames): Silence {
  const tempo = tempoMap(session.tempo, session.rate);
  const tracks = wire(session, [tap]).paths.map((p) => p.track);
  const placed = tracks.flatMap((t) => t.clips.map((c) => clipSpan(c, tempo))).some((s) => s.from < to && s.to > from);
  if (!placed) return "nothing placed";
  return tap.kind === "path" && session.tracks.every((t) => !tap.sources.includes(t.id) || t.mute || t.parked) ? "muted" : null;
}
