"use client";

import { Snowflake } from "lucide-react";
import { usePlayback } from "../playback/provider";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";

/**
 * Shown where the machine does not keep up: freezes, with one press, the cheapest set of tracks after which it does.
 */
export function Relief() {
  const relief = usePlayback((p) => ({ tracks: p.relief })).tracks;
  const { session, freeze } = useSessionParts((s) => ({ session: s.session, freeze: s.freeze }));
  const tracks = session.tracks.filter((t) => relief.includes(t.id) && t.frozen === null);
  if (tracks.length === 0) return null;
  const names = tracks.map(trackName).join(", ");
  return (
    <button
      type="button"
      onClick={() => void freeze(tracks.map((t) => t.id))}
      title={`Playing takes more than this machine can compute. Freezing ${names} costs least and is enough.`}
      className="mr-2 flex h-7 shrink-0 items-center gap-1.5 rounded-sm bg-[#f4c9a8] px-2 text-xs font-semibold text-[#2b1607] hover:bg-[#f8d9c0]"
    >
      <Snowflake size={13} aria-hidden />
      <span className="whitespace-nowrap">
        Freeze {tracks.length === 1 ? names : `${tracks.length} tracks`} to keep up
      </span>
    </button>
  );
}
