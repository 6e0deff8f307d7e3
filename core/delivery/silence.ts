import type { Tap } from "../engine/tap";
import { wire } from "../engine/wiring";
import { curveOf } from "../engine/automation";
import { playedNotes } from "../engine/source";
import { clipSpan } from "../session/clips";
import type { Session, Track } from "../session/document";
import type { TempoMap } from "../time/tempo";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";

/**
 * Why a file has no sound in it though nothing is wrong: nothing is placed there, or all of it is muted. Null: it
 * should sound.
 */
export type Silence = "nothing placed" | "muted" | null;

/** Whether anything a tap hears is placed between two frames, and lets sound through. */
export function silenceOf(session: Session, tap: Tap, from: Frames, to: Frames): Silence {
  const tempo = tempoMap(session.tempo, session.rate);
  const tracks = wire(session, [tap]).paths.map((p) => p.track);
  const isPlaced = (t: Track): boolean =>
    t.kind === "instrument" && !t.frozen
      ? playedNotes(session, t, tempo).some((n) => n.start < to && n.start + n.frames > from)
      : t.clips.some((c) => {
          const span = clipSpan(c, tempo);
          return span.from < to && span.to > from;
        });
  if (!tracks.some(isPlaced)) return "nothing placed";
  return tap.kind === "path" &&
    session.tracks.every((t) => !tap.sources.includes(t.id) || t.parked || isShut(t, from, to, tempo))
    ? "muted"
    : null;
}

/** Whether a track's valve is closed all the time between two frames. */
function isShut(track: Track, from: Frames, to: Frames, tempo: TempoMap): boolean {
  const lane = track.automation.find((a) => a.target === "mute");
  if (!lane) return track.mute;
  const at = curveOf(lane, tempo);
  const points = lane.points.map((p) => tempo.toFrames(p.tick)).filter((f) => f > from && f < to);
  return [from, ...points, to - 1].every((f) => at(f) >= 0.5);
}
