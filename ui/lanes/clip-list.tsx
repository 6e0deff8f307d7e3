"use client";

import { useLater } from "../parts/use-later";
import { clockOf, barText } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { trackName, trackStates } from "../session/track-state";
import { useRows } from "../timeline/shown";
import { clipSpan } from "../../core/session/clips";
import type { RowWindow } from "../timeline/visible-rows";

/**
 * The lanes in words, for screen readers and for the keyboard: every clip of the rows around what is in sight, where it
 * stands, and which one is selected. It takes longer to make than all that is seen.
 */
export function ClipList(rows: RowWindow) {
  return useLater() ? <Clips {...rows} /> : null;
}

function Clips({ first, end }: RowWindow) {
  const session = useRows();
  const { whole, selectedClips, selectClip } = useSessionParts((s) => ({
    whole: s.session,
    selectedClips: s.selectedClips,
    selectClip: s.selectClip,
  }));
  const clock = clockOf(session);
  const states = trackStates(whole);
  return (
    <ul aria-label="Clips" className="sr-only contain-strict">
      {session.tracks
        .slice(first, end)
        .filter((t) => t.clips.length > 0)
        .map((track) => (
          <li key={track.id}>
            {trackName(track)}, {states.get(track.id)}
            <ul>
              {track.clips.map((clip) => {
                const { from, to } = clipSpan(clip, clock.tempo);
                const chosen = selectedClips.some((c) => c.track === track.id && c.clip === clip.id);
                return (
                  <li key={clip.id}>
                    <button
                      type="button"
                      tabIndex={-1}
                      aria-pressed={chosen}
                      onClick={() => selectClip({ track: track.id, clip: clip.id })}
                    >
                      {clip.name || "a clip"}, bar {barText(clock, from)} to {barText(clock, to)}
                    </button>
                  </li>
                );
              })}
            </ul>
          </li>
        ))}
    </ul>
  );
}
