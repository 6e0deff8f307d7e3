"use client";

import { ChevronDown, ChevronUp } from "lucide-react";
import { useMemo, useState, type MouseEvent } from "react";
import type { Note, NoteClip, Phrase, Track } from "../../core/session/document";
import { ownPhrase, pitchName, writeNotes } from "../../core/session/note-edits";
import { Surface } from "../canvas/surface";
import { pointOf, useGesture } from "../canvas/use-gesture";
import { itemMenu } from "../parts/item-menu";
import { barText, clockOf } from "../session/clock";
import { useSession, useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { Playhead } from "../timeline/playhead";
import { useBenchSettings } from "../timeline/settings";
import { shownView, useBenchView } from "../timeline/view";
import type { Window } from "./draw-notes";
import { VELOCITY_PX, drawNotes } from "./draw-notes";
import { Columns, DRAWER_HEIGHT } from "./drawer-columns";
import { useDrawer } from "./drawer-store";
import type { NoteWrite } from "./note-gesture";
import { gridStep, noteAt, noteGesture, replaced } from "./note-gesture";
import { noteKey } from "./note-keys";
import { noteEntries, quantised } from "./note-menu";
import { Side } from "./note-side";

const FEWEST_SEMITONES = 20;
const HEIGHT_PX = DRAWER_HEIGHT - 1;
const ROOM_PX = HEIGHT_PX - VELOCITY_PX;
/** Notes that are listed in words; a screen reader needs no more at once. */
const MOST_LISTED = 500;

const windowFor = (phrase: Phrase, lift: number): Window => {
  const pitches = phrase.notes.map((n) => n.pitch);
  const [lowest, highest] = pitches.length === 0 ? [56, 68] : [Math.min(...pitches), Math.max(...pitches)];
  const pad = Math.max(2, Math.ceil((FEWEST_SEMITONES - (highest - lowest)) / 2));
  const low = Math.max(0, Math.min(127 - FEWEST_SEMITONES, lowest - pad + lift));
  return { low, high: Math.min(127, low + (highest - lowest) + 2 * pad) };
};

interface Props {
  readonly track: Track;
  readonly clip: NoteClip;
  /** Of the lanes, in CSS pixels. */
  readonly width: number;
}

/**
 * A phrase to write in, at the place where the chosen clip plays it. Notes are kept by their place in the phrase's
 * list.
 */
export function NoteEditor(props: Props) {
  const phrase = useSession((s) => s.session.phrases.find((p) => p.id === props.clip.phrase));
  return phrase ? <PhraseEditor {...props} phrase={phrase} /> : null;
}

function PhraseEditor({ track, clip, width, phrase }: Props & { readonly phrase: Phrase }) {
  const { session, edit, selectClip } = useSessionParts((s) => ({
    session: s.session,
    edit: s.edit,
    selectClip: s.selectClip,
  }));
  const bench = useBenchView();
  const grid = useBenchSettings((s) => s.grid);
  const lift = useDrawer((s) => s.lift);
  const [picked, setPicked] = useState<readonly Note[]>([]);
  const clock = clockOf(session);
  const view = shownView(bench);
  const range = useMemo(() => windowFor(phrase, lift), [phrase, lift]);
  const chosen = stillThere(phrase, picked);
  const world = { phrase, clip, clock, view, grid, range, room: ROOM_PX, chosen };

  const write = ({ label, all, held }: NoteWrite) => {
    if (edit(`${label} in ${phrase.name}`, writeNotes(session, phrase, all))) setPicked(held);
  };
  const gesture = useGesture(noteGesture(world), {
    began: (hold) => setPicked(hold?.notes ?? []),
    done: write,
    slackPx: 0,
  });
  const menuOf = (held: readonly Note[]) =>
    itemMenu(`Notes of ${phrase.name}`, () =>
      noteEntries(held.length, {
        byKey: (key) => () => {
          const does = noteKey(key, { notes: held, phrase, step: (tick) => gridStep(world, tick) });
          if (does && !("choose" in does)) write(does);
        },
        quantise: () => write(quantised(world, held)),
        chooseAll: () => setPicked(phrase.notes),
      }),
    );
  /** The note under the pointer, with those chosen beside it. */
  const pointedAt = (event: MouseEvent<HTMLCanvasElement>): readonly Note[] => {
    const on = noteAt(world, pointOf(event));
    return !on || chosen.includes(on) ? chosen : [on];
  };
  const draft = gesture.shown;
  const notes = draft?.all ?? phrase.notes;
  const lit = draft?.held ?? chosen;
  return (
    <Columns
      lanes={width}
      left={<Pitches name={phrase.name} range={range} />}
      middle={
        <>
          <Playhead view={view} />
          <Surface
            width={width}
            height={HEIGHT_PX}
            draw={(context, inks) =>
              drawNotes(
                context,
                {
                  ...{ session, clock, view, clip, range, width, height: HEIGHT_PX, room: ROOM_PX },
                  phrase: { ...phrase, notes: [...notes] },
                  chosen: lit,
                },
                inks,
              )
            }
            tabIndex={0}
            role="application"
            aria-label={`Notes of ${phrase.name}. Arrows move what is chosen, with Alt they lengthen it, Enter writes a note behind it, Delete removes it. The list of notes says the same in words.`}
            className="block touch-none cursor-crosshair focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-spot"
            onKeyDown={(event) => {
              const does = noteKey(event, { notes: chosen, phrase, step: (tick) => gridStep(world, tick) });
              if (!does) return;
              if ("choose" in does) setPicked(does.choose);
              else write(does);
              event.preventDefault();
            }}
            {...gesture.on<HTMLCanvasElement>(undefined)}
            {...menuOf(chosen)}
            onContextMenu={(event) => {
              const held = pointedAt(event);
              setPicked(held);
              menuOf(held).onContextMenu(event);
            }}
            onDoubleClick={(event) => {
              const on = noteAt(world, pointOf(event));
              if (on) write({ label: "Remove a note", all: replaced(phrase, [on], []), held: [] });
            }}
          />
          <ul aria-label={`Notes of ${phrase.name}`} className="sr-only">
            {phrase.notes.slice(0, MOST_LISTED).map((n, i) => (
              <li key={i}>
                <button type="button" tabIndex={-1} aria-pressed={chosen.includes(n)} onClick={() => setPicked([n])}>
                  {pitchName(n.pitch)}, bar{" "}
                  {barText(clock, clock.tempo.toFrames(Math.max(0, n.tick + clip.start - clip.offset)))}, {n.ticks}{" "}
                  ticks, velocity {n.velocity}
                </button>
              </li>
            ))}
          </ul>
        </>
      }
      right={
        <Side
          {...{ session, track, clip, phrase, clock, chosen }}
          write={(label, held) => write({ label, all: replaced(phrase, chosen, held), held })}
          own={() =>
            edit(
              `Give ${trackName(track)} a phrase of its own`,
              ownPhrase(session, track, clip, () => crypto.randomUUID()),
            )
          }
          go={selectClip}
        />
      }
    />
  );
}

/** Those of some notes that the phrase still has: an edit makes notes anew. */
const stillThere = (phrase: Phrase, notes: readonly Note[]): readonly Note[] =>
  phrase.notes.filter((n) =>
    notes.some(
      (c) => c === n || (c.tick === n.tick && c.pitch === n.pitch && c.ticks === n.ticks && c.velocity === n.velocity),
    ),
  );

/** The names of the octaves beside the notes, and where to look higher and lower. */
function Pitches({ name, range }: { readonly name: string; readonly range: Window }) {
  const raise = useDrawer((s) => s.raise);
  const semitonePx = ROOM_PX / (range.high - range.low + 1);
  return (
    <div className="relative -my-1.5" style={{ height: HEIGHT_PX }}>
      <div className="absolute top-1 right-1 grid gap-0.5">
        {(
          [
            ["Higher pitches", 6, ChevronUp],
            ["Lower pitches", -6, ChevronDown],
          ] as const
        ).map(([label, by, Icon]) => (
          <button
            key={label}
            type="button"
            aria-label={label}
            title={label}
            onClick={() => raise(by)}
            className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade"
          >
            <Icon size={14} aria-hidden />
          </button>
        ))}
      </div>
      <p className="truncate px-3 pt-1 pr-10 text-[13px] font-semibold">{name}</p>
      {Array.from({ length: range.high - range.low + 1 }, (_, i) => range.high - i)
        .filter((p) => p % 12 === 0)
        .map((p) => (
          <span
            key={p}
            className="figure absolute right-9 text-[10px] leading-none text-soft"
            style={{ top: (range.high - p + 0.5) * semitonePx - 5 }}
          >
            {pitchName(p)}
          </span>
        ))}
      <span className="eyebrow absolute right-2 bottom-2">velocity</span>
    </div>
  );
}
