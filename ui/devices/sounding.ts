import { useEffect, useMemo, useState } from "react";
import type { PlayedNote } from "../../core/devices/device";
import { playedNotes } from "../../core/engine/source";
import type { Track } from "../../core/session/document";
import { tempoMap } from "../../core/time/tempo";
import type { Frames } from "../../core/units";
import { usePlayback, usePlaybackStore } from "../playback/provider";
import { useSession } from "../session/provider";
import type { TriedKey } from "./zone-picture";

const LOOK_EVERY_MS = 60;
const NONE: readonly TriedKey[] = [];

/** Notes that are held at a frame. `notes`: in the order of their starts; `longest`: of them. */
export function heldAt(notes: readonly PlayedNote[], longest: Frames, at: Frames): readonly TriedKey[] {
  let [first, behind] = [0, notes.length];
  while (first < behind) {
    const middle = (first + behind) >> 1;
    if ((notes[middle]?.start ?? 0) > at) behind = middle;
    else first = middle + 1;
  }
  const held: TriedKey[] = [];
  for (let i = first - 1; i >= 0; i--) {
    const { start, frames, pitch, velocity } = notes[i] as PlayedNote;
    if (start + longest <= at) break;
    if (start + frames > at) held.push({ pitch, velocity });
  }
  return held.length === 0 ? NONE : held;
}

/** What a track's notes hold where the session plays now; nothing while it stands. */
export function useSounding(track: Track): readonly TriedKey[] {
  const session = useSession((s) => s.session);
  const playback = usePlaybackStore();
  const { isPlaying } = usePlayback((s) => ({ isPlaying: s.state === "playing" }));
  const [held, setHeld] = useState(NONE);
  const notes = useMemo(
    () => (isPlaying ? playedNotes(session, track, tempoMap(session.tempo, session.rate)) : []),
    [session, track, isPlaying],
  );
  useEffect(() => {
    if (!isPlaying) return;
    const longest = notes.reduce((most, n) => Math.max(most, n.frames), 0);
    const timer = setInterval(() => {
      const now = heldAt(notes, longest, playback.getState().position());
      setHeld((before) => (isSame(before, now) ? before : now));
    }, LOOK_EVERY_MS);
    return () => clearInterval(timer);
  }, [notes, isPlaying, playback]);
  return isPlaying ? held : NONE;
}

const isSame = (a: readonly TriedKey[], b: readonly TriedKey[]): boolean =>
  a.length === b.length && a.every((n, i) => n.pitch === b[i]?.pitch && n.velocity === b[i].velocity);
