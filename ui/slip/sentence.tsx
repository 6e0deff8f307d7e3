"use client";

import { type ReactNode } from "react";
import type { Track } from "../../core/session/document";
import { Floating } from "../parts/floating";
import { useSessionParts } from "../session/provider";
import { trackName, trackStates } from "../session/track-state";

export const Sentence = ({ children }: { readonly children: ReactNode }) => (
  <p className="mt-2 text-[14.5px] leading-[22px] tracking-[-0.01em]">{children}</p>
);
/** A part of the sentence that is fixed here. */
export const Said = ({ children }: { readonly children: ReactNode }) => (
  <span className="font-semibold">{children}</span>
);

export const names = (tracks: readonly Track[]) =>
  tracks.length <= 3
    ? tracks
        .map(trackName)
        .join(", ")
        .replace(/, ([^,]*)$/, " and $1")
    : `${tracks.length} tracks`;

/** The one part of a freeze that is chosen: which tracks. */
export function TrackPicker({ tracks }: { readonly tracks: readonly Track[] }) {
  const { session, selected, select } = useSessionParts((s) => ({
    session: s.session,
    selected: s.selected,
    select: s.select,
  }));
  const states = trackStates(session);
  const offered = session.tracks.filter(
    (t) => (t.kind === "audio" || t.kind === "instrument") && !t.parked && t.clips.length > 0,
  );
  return (
    <Floating
      label="Tracks to freeze"
      trigger={
        <button
          type="button"
          className="font-semibold text-spot underline decoration-2 underline-offset-[5px] hover:bg-spot-wash"
        >
          {names(tracks)}
        </button>
      }
    >
      <p className="eyebrow">Tracks</p>
      {offered.map((t) => (
        <label key={t.id} className="flex min-h-7 items-center gap-2 rounded-sm px-1 hover:bg-spot-wash">
          <input
            type="checkbox"
            className="size-4 accent-[var(--spot)]"
            checked={selected.includes(t.id)}
            onChange={(e) => select(e.target.checked ? [...selected, t.id] : selected.filter((id) => id !== t.id))}
          />
          <span className="flex-1">{trackName(t)}</span>
          <span className="text-xs text-soft">{states.get(t.id)}</span>
        </label>
      ))}
    </Floating>
  );
}
