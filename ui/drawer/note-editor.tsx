"use client";

import { usePull } from "../parts/pull";
import { ChevronDown, ChevronUp } from "lucide-react";
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Note, NoteClip, Phrase, Track } from "../../core/session/document";
import { moveNotes, ownPhrase, pitchName, writeNotes } from "../../core/session/note-edits";
import { barText, clockOf } from "../session/clock";
import { useSession, useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { prepare, useInks, useRedraw } from "../canvas/canvas";
import { Columns, DRAWER_HEIGHT } from "./drawer-columns";
import { useDrawer } from "./drawer-store";
import { Playhead } from "../timeline/playhead";
import { useBenchSettings } from "../timeline/settings";
import { gridTick } from "../timeline/snap";
import { frameAt, shownView, useBenchView, xOf } from "../timeline/view";
import type { Window } from "./draw-notes";
import { VELOCITY_PX, drawNotes } from "./draw-notes";
import { Side } from "./note-side";

const FEWEST_SEMITONES = 18;
const EDGE_PX = 6;
const NEW_VELOCITY = 90;

const windowFor = (phrase: Phrase, lift: number): Window => {
  const pitches = phrase.notes.map((n) => n.pitch);
  const [lowest, highest] = pitches.length === 0 ? [56, 68] : [Math.min(...pitches), Math.max(...pitches)];
  const pad = Math.max(2, Math.ceil((FEWEST_SEMITONES - (highest - lowest)) / 2));
  const low = Math.max(0, Math.min(127 - FEWEST_SEMITONES, lowest - pad + lift));
  return { low, high: Math.min(127, low + (highest - lowest) + 2 * pad) };
};

type Hold =
  | {
      readonly what: "move" | "lengthen";
      readonly notes: readonly Note[];
      readonly on: Note;
      readonly tick: number;
      readonly pitch: number;
      readonly copy: boolean;
    }
  | { readonly what: "velocity"; readonly notes: readonly Note[]; readonly y: number }
  | { readonly what: "draw"; readonly note: Note };

/**
 * A phrase to write in, at the place where the chosen clip plays it. Notes are kept by their place in the phrase's
 * list.
 */
export function NoteEditor(props: { readonly track: Track; readonly clip: NoteClip; readonly width: number }) {
  const phrase = useSession((s) => s.session.phrases.find((p) => p.id === props.clip.phrase));
  return phrase ? <PhraseEditor {...props} phrase={phrase} /> : null;
}

function PhraseEditor({
  track,
  clip,
  width,
  phrase,
}: {
  readonly track: Track;
  readonly clip: NoteClip;
  readonly width: number;
  readonly phrase: Phrase;
}) {
  const { session, edit, selectClip } = useSessionParts((s) => ({
    session: s.session,
    edit: s.edit,
    selectClip: s.selectClip,
  }));
  const bench = useBenchView();
  const grid = useBenchSettings((s) => s.grid);
  const { lift, raise } = useDrawer();
  const redraw = useRedraw();
  const inksOf = useInks(bench.theme);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [chosen, setChosen] = useState<readonly Note[]>([]);
  const [hold, setHold] = useState<Hold | null>(null);
  const [draft, setDraft] = useState<readonly Note[] | null>(null);
  const clock = clockOf(session);
  const view = shownView(bench);
  const height = DRAWER_HEIGHT - 1;
  const room = height - VELOCITY_PX;
  const range = useMemo(() => windowFor(phrase, lift), [phrase, lift]);
  const notes = draft ?? phrase.notes;

  useEffect(() => {
    const context = canvas.current && prepare(canvas.current, width, height);
    if (context)
      drawNotes(
        context,
        { session, clock, view, clip, phrase: { ...phrase, notes: [...notes] }, chosen, range, width, height, room },
        inksOf(context),
      );
  }, [session, clock, view, clip, phrase, notes, chosen, range, width, height, room, redraw, inksOf]);

  const semitonePx = room / (range.high - range.low + 1);
  /** Tick of the phrase and pitch under the pointer. */
  const at = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    const frame = Math.max(0, frameAt(view, event.clientX - box.left));
    return {
      tick: clock.tempo.toTicks(Math.round(frame)) - clip.start + clip.offset,
      pitch: Math.max(0, Math.min(127, range.high - Math.floor((event.clientY - box.top) / semitonePx))),
      y: event.clientY - box.top,
      x: event.clientX - box.left,
    };
  };
  const snapped = (tick: number, off: boolean) =>
    off
      ? Math.max(0, Math.round(tick))
      : Math.max(0, gridTick(clock, tick + clip.start - clip.offset, grid) - clip.start + clip.offset);
  const step = (tick: number) => {
    const beat = clock.meter.beatTicks(Math.max(0, tick + clip.start - clip.offset));
    return Math.max(
      1,
      Math.round(grid === "1/2" ? beat / 2 : grid === "1/3" ? beat / 3 : grid === "1/4" ? beat / 4 : beat),
    );
  };
  const xOfTick = (tick: number) => xOf(view, clock.tempo.toFrames(Math.max(0, tick + clip.start - clip.offset)));
  const noteAt = (p: ReturnType<typeof at>) =>
    phrase.notes.findLast(
      (n) => n.pitch === p.pitch && p.x >= xOfTick(n.tick) - 2 && p.x <= xOfTick(n.tick + n.ticks) + 2,
    );
  const write = (label: string, next: readonly Note[], select: readonly Note[]) => {
    if (edit(`${label} in ${phrase.name}`, writeNotes(session, phrase, next))) setChosen(select);
  };
  const replaced = (old: readonly Note[], by: readonly Note[]) => [
    ...phrase.notes.filter((n) => !old.includes(n)),
    ...by,
  ];
  const still = (list: readonly Note[]) =>
    phrase.notes.filter((n) =>
      list.some(
        (c) =>
          c === n || (c.tick === n.tick && c.pitch === n.pitch && c.ticks === n.ticks && c.velocity === n.velocity),
      ),
    );
  const now = still(chosen);

  /** What a drag has made of the notes, and which of them it holds. */
  const result = (
    held: Hold,
    event: PointerEvent,
  ): { readonly all: readonly Note[]; readonly held: readonly Note[] } => {
    const p = at(event);
    if (held.what === "draw") {
      const end = Math.max(held.note.tick + step(held.note.tick), snapped(p.tick, event.altKey));
      const note = { ...held.note, ticks: end - held.note.tick };
      return { all: [...phrase.notes, note], held: [note] };
    }
    if (held.what === "velocity") {
      const by = Math.round((held.y - event.clientY) * (127 / (VELOCITY_PX - 6)));
      const louder = held.notes.map((n) => ({ ...n, velocity: Math.max(1, Math.min(127, n.velocity + by)) }));
      return { all: replaced(held.notes, louder), held: louder };
    }
    if (held.what === "lengthen") {
      const by =
        Math.max(held.on.tick + 1, snapped(p.tick - held.tick + held.on.tick + held.on.ticks, event.altKey)) -
        held.on.tick -
        held.on.ticks;
      const longer = held.notes.map((n) => ({ ...n, ticks: Math.max(1, n.ticks + by) }));
      return { all: replaced(held.notes, longer), held: longer };
    }
    const moved = moveNotes(
      held.notes,
      snapped(held.on.tick + p.tick - held.tick, event.altKey) - held.on.tick,
      p.pitch - held.pitch,
    );
    return { all: held.copy ? [...phrase.notes, ...moved] : replaced(held.notes, moved), held: moved };
  };

  const onKey = (event: KeyboardEvent) => {
    const arrows: Record<string, readonly [number, number]> = {
      ArrowLeft: [-1, 0],
      ArrowRight: [1, 0],
      ArrowUp: [0, event.shiftKey ? 12 : 1],
      ArrowDown: [0, event.shiftKey ? -12 : -1],
    };
    const arrow = arrows[event.key];
    if (event.ctrlKey && event.key.toLowerCase() === "a") setChosen(phrase.notes);
    else if (event.key === "Insert" || event.key === "Enter") {
      const last = now.at(-1);
      const tick = last ? last.tick + last.ticks : 0;
      const note = { tick, ticks: step(tick), pitch: last?.pitch ?? 60, velocity: last?.velocity ?? NEW_VELOCITY };
      write("Write a note", [...phrase.notes, note], [note]);
    } else if (now.length > 0 && (event.key === "Delete" || event.key === "Backspace"))
      write(
        now.length === 1 ? "Remove a note" : `Remove ${now.length} notes`,
        phrase.notes.filter((n) => !now.includes(n)),
        [],
      );
    else if (now.length > 0 && arrow) {
      if (event.altKey && arrow[0] !== 0) {
        const longer = now.map((n) => ({ ...n, ticks: Math.max(1, n.ticks + arrow[0] * step(n.tick)) }));
        write("Lengthen", replaced(now, longer), longer);
      } else {
        const moved = moveNotes(now, arrow[0] * step(now[0]?.tick ?? 0), arrow[1]);
        write("Move", replaced(now, moved), moved);
      }
    } else return;
    event.preventDefault();
  };

  const pull = usePull<HTMLCanvasElement>({
    begin(event) {
      const p = at(event);
      if (p.y > room) {
        const on = phrase.notes.reduce<Note | null>(
          (best, n) =>
            Math.abs(xOfTick(n.tick) - p.x) < Math.min(8, best ? Math.abs(xOfTick(best.tick) - p.x) : Infinity)
              ? n
              : best,
          null,
        );
        if (!on) {
          setChosen([]);
          return false;
        }
        const held = now.includes(on) ? now : [on];
        setChosen(held);
        setHold({ what: "velocity", notes: held, y: event.clientY });
        return true;
      }
      const on = noteAt(p);
      if (!on) {
        const tick = snapped(p.tick - (event.altKey ? 0 : step(p.tick) / 2), event.altKey);
        if (p.tick < 0) return false;
        const note = { tick, ticks: step(tick), pitch: p.pitch, velocity: NEW_VELOCITY };
        setDraft([...phrase.notes, note]);
        setChosen([note]);
        setHold({ what: "draw", note });
        return true;
      }
      const held = event.shiftKey
        ? now.includes(on)
          ? now.filter((n) => n !== on)
          : [...now, on]
        : now.includes(on)
          ? now
          : [on];
      setChosen(held);
      if (held.includes(on))
        setHold({
          what: p.x > xOfTick(on.tick + on.ticks) - EDGE_PX ? "lengthen" : "move",
          notes: held,
          on,
          tick: p.tick,
          pitch: p.pitch,
          copy: event.ctrlKey || event.metaKey,
        });
      return held.includes(on);
    },
    move(event) {
      if (!hold) return;
      const made = result(hold, event);
      setDraft(made.all);
      setChosen(made.held);
    },
    end(event) {
      if (!hold) return;
      const made = result(hold, event);
      setHold(null);
      setDraft(null);
      const label = { draw: "Write a note", move: "Move", lengthen: "Lengthen", velocity: "Velocity" }[hold.what];
      const same =
        hold.what !== "draw" && made.held.every((n, i) => JSON.stringify(n) === JSON.stringify(hold.notes[i]));
      if (!same) write(label, made.all, made.held);
    },
    cancel() {
      setHold(null);
      setDraft(null);
    },
  });
  return (
    <Columns
      lanes={width}
      left={
        <div className="relative -my-1.5" style={{ height }}>
          <div className="absolute top-1 right-1 grid gap-0.5">
            <button
              type="button"
              aria-label="Higher pitches"
              title="Higher pitches"
              onClick={() => raise(6)}
              className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade"
            >
              <ChevronUp size={14} aria-hidden />
            </button>
            <button
              type="button"
              aria-label="Lower pitches"
              title="Lower pitches"
              onClick={() => raise(-6)}
              className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade"
            >
              <ChevronDown size={14} aria-hidden />
            </button>
          </div>
          <p className="truncate px-3 pt-1 pr-10 text-[13px] font-semibold">{phrase.name}</p>
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
      }
      middle={
        <>
          <Playhead view={view} />
          <canvas
            ref={canvas}
            style={{ width, height }}
            tabIndex={0}
            role="application"
            aria-label={`Notes of ${phrase.name}. Arrows move what is chosen, with Alt they lengthen it, Enter writes a note behind it, Delete removes it. The list of notes says the same in words.`}
            className="block touch-none cursor-crosshair focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-spot"
            onKeyDown={onKey}
            {...pull}
            onDoubleClick={(event) => {
              const on = noteAt(at(event as unknown as PointerEvent));
              if (on)
                write(
                  "Remove a note",
                  phrase.notes.filter((n) => n !== on),
                  [],
                );
            }}
          />
          <ul aria-label={`Notes of ${phrase.name}`} className="sr-only">
            {phrase.notes.slice(0, 500).map((n, i) => (
              <li key={i}>
                <button type="button" tabIndex={-1} aria-pressed={now.includes(n)} onClick={() => setChosen([n])}>
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
          session={session}
          track={track}
          clip={clip}
          phrase={phrase}
          chosen={now}
          clock={clock}
          write={(label, list) => write(label, replaced(now, list), list)}
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
