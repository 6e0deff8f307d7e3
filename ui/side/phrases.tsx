"use client";

import { Trash2 } from "lucide-react";
import { placementsOf } from "../../core/session/note-edits";
import { TICKS_PER_QUARTER } from "../../core/units";
import { Editable } from "../parts/editable";
import { usePlaybackStore } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";

/** More placements than are told one by one. */
const SHOWN = 12;

/** Every phrase by name, and where it is placed; a press goes there and chooses the clip. */
export function Phrases() {
  const { session, edit, selectClip } = useSessionParts((s) => ({
    session: s.session,
    edit: s.edit,
    selectClip: s.selectClip,
  }));
  const playback = usePlaybackStore();
  const clock = clockOf(session);
  const phrases = [...session.phrases].sort((a, b) => a.name.localeCompare(b.name));
  return (
    <div className="min-h-0 overflow-y-auto px-4 pt-3 pb-6">
      {phrases.length === 0 && (
        <p className="text-soft">
          There are none. A phrase is what a clip of notes plays; several clips can play the same.
        </p>
      )}
      <ul aria-label="Phrases" className={phrases.length > 0 ? "border-t border-rule" : ""}>
        {phrases.map((phrase) => {
          const placed = placementsOf(session, phrase.id);
          const beats = Math.round((10 * phrase.ticks) / TICKS_PER_QUARTER) / 10;
          return (
            <li key={phrase.id} className="border-b border-rule py-1.5">
              <div className="flex items-baseline gap-2">
                <Editable
                  double
                  value={phrase.name}
                  label={`Phrase ${phrase.name}`}
                  onCommit={(name) =>
                    name !== "" &&
                    edit(`Rename the phrase ${phrase.name}`, [
                      { do: "set", in: "phrases", id: phrase.id, patch: { name } },
                    ])
                  }
                  className="min-w-0 flex-1 font-semibold"
                />
                <span className="figure shrink-0 text-xs text-soft">
                  {beats} {beats === 1 ? "beat" : "beats"}, {phrase.notes.length}{" "}
                  {phrase.notes.length === 1 ? "note" : "notes"}
                </span>
                {placed.length === 0 && (
                  <button
                    type="button"
                    aria-label={`Remove the phrase ${phrase.name}`}
                    title="Nothing plays it: remove it"
                    onClick={() =>
                      edit(`Remove the phrase ${phrase.name}`, [{ do: "remove", in: "phrases", id: phrase.id }])
                    }
                    className="grid size-6 place-items-center text-soft hover:text-ink"
                  >
                    <Trash2 size={13} aria-hidden />
                  </button>
                )}
              </div>
              <p className="mt-0.5 flex flex-wrap gap-x-2.5 text-xs">
                {placed.length === 0 && <span className="text-soft">not placed</span>}
                {placed.slice(0, SHOWN).map(({ track, clip }) => {
                  const frame = clock.tempo.toFrames(clip.start);
                  return (
                    <button
                      key={clip.id}
                      type="button"
                      onClick={() => {
                        selectClip({ track: track.id, clip: clip.id });
                        playback.getState().seek(frame);
                      }}
                      className="min-h-6 text-spot hover:underline"
                    >
                      {trackName(track)} <span className="figure">{barText(clock, frame)}</span>
                    </button>
                  );
                })}
                {placed.length > SHOWN && <span className="text-soft">and {placed.length - SHOWN} more</span>}
              </p>
            </li>
          );
        })}
      </ul>
    </div>
  );
}
