"use client";

import type { Note, NoteClip, Phrase, Session, Track } from "../../core/session/document";
import { moveNotes, pitchName, placementsOf } from "../../core/session/note-edits";
import { Button } from "../parts/button";
import { NumberField } from "../parts/number-field";
import { barText } from "../session/clock";
import type { Clock } from "../session/clock";
import { trackName } from "../session/track-state";

interface SideProps {
  readonly session: Session;
  readonly track: Track;
  readonly clip: NoteClip;
  readonly phrase: Phrase;
  readonly chosen: readonly Note[];
  readonly clock: Clock;
  readonly write: (label: string, notes: readonly Note[]) => void;
  readonly own: () => void;
  readonly go: (clip: { readonly track: string; readonly clip: string }) => void;
}

/** What is chosen in numbers, and where else the phrase is played. */
export function Side({ session, track, clip, phrase, chosen, clock, write, own, go }: SideProps) {
  const [first] = chosen;
  const others = placementsOf(session, phrase.id).filter((p) => p.clip.id !== clip.id);
  return (
    <>
      {first ? (
        <div role="group" aria-label="Chosen notes" className="flex flex-wrap items-center gap-x-3 gap-y-1">
          <b>
            {chosen.length === 1
              ? `${pitchName(first.pitch)} at bar ${barText(clock, clock.tempo.toFrames(Math.max(0, first.tick + clip.start - clip.offset)))}`
              : `${chosen.length} notes`}
          </b>
          <label className="flex items-center gap-1">
            pitch{" "}
            <NumberField
              label="Pitch, semitones (69 is A4)"
              value={first.pitch}
              min={0}
              max={127}
              digits={0}
              onCommit={(v) => write("Pitch", moveNotes(chosen, 0, Math.round(v) - first.pitch))}
              className="w-12"
            />
          </label>
          <label className="flex items-center gap-1">
            length{" "}
            <NumberField
              label="Length, ticks"
              value={first.ticks}
              min={1}
              max={1_000_000}
              digits={0}
              onCommit={(v) =>
                write(
                  "Length",
                  chosen.map((n) => ({ ...n, ticks: Math.round(v) })),
                )
              }
              className="w-14"
            />
          </label>
          <label className="flex items-center gap-1">
            velocity{" "}
            <NumberField
              label="Velocity"
              value={first.velocity}
              min={1}
              max={127}
              digits={0}
              onCommit={(v) =>
                write(
                  "Velocity",
                  chosen.map((n) => ({ ...n, velocity: Math.round(v) })),
                )
              }
              className="w-12"
            />
          </label>
        </div>
      ) : (
        <p className="text-soft">
          {phrase.notes.length === 0
            ? "Press in the field to write the first note."
            : "Press to write a note, drag one to move it, its end to lengthen it, its stroke below for its velocity. Double-click removes it."}
        </p>
      )}
      <div className="mt-2 border-t border-rule pt-2">
        {others.length === 0 ? (
          <p className="text-soft">Played here only.</p>
        ) : (
          <>
            <p>
              Played {others.length} {others.length === 1 ? "time" : "times"} elsewhere too: what is written here sounds
              there as well.
            </p>
            <ul className="mt-1 flex flex-wrap gap-1">
              {others.slice(0, 12).map((p) => (
                <li key={p.clip.id}>
                  <Button onClick={() => go({ track: p.track.id, clip: p.clip.id })}>
                    {p.track.id === track.id ? "" : `${trackName(p.track)} `}
                    <span className="figure">{barText(clock, clock.tempo.toFrames(p.clip.start))}</span>
                  </Button>
                </li>
              ))}
            </ul>
            <Button kind="quiet" className="mt-1" onClick={own}>
              Make this one its own phrase
            </Button>
          </>
        )}
      </div>
    </>
  );
}
