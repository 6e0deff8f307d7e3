import type { Note, NoteClip, Phrase } from "../../core/session/document";
import { moveNotes } from "../../core/session/note-edits";
import type { Ticks } from "../../core/units";
import type { Gesture, Point } from "../canvas/gesture";
import type { Clock } from "../session/clock";
import type { Grid } from "../timeline/settings";
import { gridTick } from "../timeline/snap";
import type { LaneView } from "../timeline/view";
import { frameAt, xOf } from "../timeline/view";
import type { Window } from "./draw-notes";
import { VELOCITY_PX } from "./draw-notes";

const EDGE_PX = 6;
/** How near a press has to be to a stick of velocity. */
const STICK_PX = 8;
const NEW_VELOCITY = 90;

export interface NoteWorld {
  readonly phrase: Phrase;
  readonly clip: NoteClip;
  readonly clock: Clock;
  readonly view: LaneView;
  readonly grid: Grid;
  readonly range: Window;
  /** Height of the notes above the velocities, in CSS pixels. */
  readonly room: number;
  readonly chosen: readonly Note[];
}

export type NoteHold =
  /** Chosen by Shift, and not to be moved. */
  | { readonly what: "choose"; readonly notes: readonly Note[] }
  | {
      readonly what: "move" | "lengthen";
      readonly notes: readonly Note[];
      readonly on: Note;
      readonly tick: Ticks;
      readonly pitch: number;
      readonly copy: boolean;
    }
  | { readonly what: "velocity"; readonly notes: readonly Note[]; readonly y: number }
  | { readonly what: "draw"; readonly notes: readonly Note[] };

/** All notes of the phrase as a drag leaves them, and those that it holds. */
export interface NoteDraft {
  readonly all: readonly Note[];
  readonly held: readonly Note[];
}

export interface NoteWrite extends NoteDraft {
  readonly label: string;
}

const LABELS = { draw: "Write a note", move: "Move", lengthen: "Lengthen", velocity: "Velocity" } as const;

/** Tick of the phrase and pitch under a point. */
export function placeOf({ clock, view, clip, range, room }: NoteWorld, { x, y }: Point) {
  const semitonePx = room / (range.high - range.low + 1);
  return {
    tick: clock.tempo.toTicks(Math.round(Math.max(0, frameAt(view, x)))) - clip.start + clip.offset,
    pitch: Math.max(0, Math.min(127, range.high - Math.floor(y / semitonePx))),
  };
}

/** The length of a step of the grid at a tick of the phrase. */
export function gridStep({ clock, clip, grid }: Pick<NoteWorld, "clock" | "clip" | "grid">, tick: Ticks): Ticks {
  const beat = clock.meter.beatTicks(Math.max(0, tick + clip.start - clip.offset));
  const parts = { "1/2": 2, "1/3": 3, "1/4": 4, beat: 1, bar: 1, none: 1 }[grid];
  return Math.max(1, Math.round(beat / parts));
}

export const xOfTick = ({ view, clock, clip }: NoteWorld, tick: Ticks): number =>
  xOf(view, clock.tempo.toFrames(Math.max(0, tick + clip.start - clip.offset)));

/** The note under a point, the one on top where several lie there. */
export function noteAt(world: NoteWorld, point: Point): Note | undefined {
  const { pitch } = placeOf(world, point);
  return world.phrase.notes.findLast(
    (n) =>
      n.pitch === pitch && point.x >= xOfTick(world, n.tick) - 2 && point.x <= xOfTick(world, n.tick + n.ticks) + 2,
  );
}

/** Notes of a phrase with some of them in place of others. */
export const replaced = (phrase: Phrase, old: readonly Note[], by: readonly Note[]): readonly Note[] => [
  ...phrase.notes.filter((n) => !old.includes(n)),
  ...by,
];

function snapped({ clock, clip, grid }: NoteWorld, tick: Ticks, free: boolean): Ticks {
  const zero = clip.start - clip.offset;
  return Math.max(0, free ? Math.round(tick) : gridTick(clock, tick + zero, grid) - zero);
}

/** Notes written, moved, copied and lengthened, and their velocities pulled up and down. */
export function noteGesture(world: NoteWorld): Gesture<NoteHold, NoteDraft, NoteWrite> {
  const { chosen, room } = world;
  return {
    begin(point) {
      if (point.y > room) {
        const on = stickAt(world, point);
        return on ? { what: "velocity", notes: chosen.includes(on) ? chosen : [on], y: point.y } : null;
      }
      const place = placeOf(world, point);
      const on = noteAt(world, point);
      if (!on) {
        if (place.tick < 0) return null;
        const before = point.free ? 0 : gridStep(world, place.tick) / 2;
        const tick = snapped(world, place.tick - before, point.free);
        return {
          what: "draw",
          notes: [{ tick, ticks: gridStep(world, tick), pitch: place.pitch, velocity: NEW_VELOCITY }],
        };
      }
      const notes = pressed(chosen, on, point.shift);
      if (!notes.includes(on)) return { what: "choose", notes };
      const isEdge = point.x > xOfTick(world, on.tick + on.ticks) - EDGE_PX;
      return { what: isEdge ? "lengthen" : "move", notes, on, ...place, copy: point.copies };
    },
    move: (hold, point) => draft(world, hold, point),
    end(hold, point, moved) {
      // A press alone chooses, also a note beside the grid.
      if (hold.what === "choose" || (!moved && hold.what !== "draw")) return null;
      const made = draft(world, hold, point);
      const isSame =
        hold.what !== "draw" && made.held.every((n, i) => JSON.stringify(n) === JSON.stringify(hold.notes[i]));
      return isSame ? null : { label: LABELS[hold.what], ...made };
    },
  };
}

/** What is chosen after a press on a note. */
function pressed(chosen: readonly Note[], on: Note, shift: boolean): readonly Note[] {
  if (!chosen.includes(on)) return shift ? [...chosen, on] : [on];
  return shift ? chosen.filter((n) => n !== on) : chosen;
}

/** The note whose stick of velocity is nearest to a point, within reach. */
function stickAt(world: NoteWorld, { x }: Point): Note | null {
  const away = (n: Note) => Math.abs(xOfTick(world, n.tick) - x);
  const nearest = world.phrase.notes.reduce<Note | null>((best, n) => (!best || away(n) < away(best) ? n : best), null);
  return nearest && away(nearest) < STICK_PX ? nearest : null;
}

function draft(world: NoteWorld, hold: NoteHold, point: Point): NoteDraft {
  const { phrase } = world;
  const { tick, pitch } = placeOf(world, point);
  const inPlace = (held: readonly Note[]): NoteDraft => ({ all: replaced(phrase, hold.notes, held), held });
  switch (hold.what) {
    case "choose":
      return { all: phrase.notes, held: hold.notes };
    case "draw": {
      const held = hold.notes.map((n) => {
        const end = Math.max(n.tick + gridStep(world, n.tick), snapped(world, tick, point.free));
        return { ...n, ticks: end - n.tick };
      });
      return { all: [...phrase.notes, ...held], held };
    }
    case "velocity": {
      const by = Math.round((hold.y - point.y) * (127 / (VELOCITY_PX - 6)));
      return inPlace(hold.notes.map((n) => ({ ...n, velocity: Math.max(1, Math.min(127, n.velocity + by)) })));
    }
    case "lengthen": {
      const end = hold.on.tick + hold.on.ticks;
      const by = Math.max(hold.on.tick + 1, snapped(world, tick - hold.tick + end, point.free)) - end;
      return inPlace(hold.notes.map((n) => ({ ...n, ticks: Math.max(1, n.ticks + by) })));
    }
    case "move": {
      const by = snapped(world, hold.on.tick + tick - hold.tick, point.free) - hold.on.tick;
      const held = moveNotes(hold.notes, by, pitch - hold.pitch);
      return hold.copy ? { all: [...phrase.notes, ...held], held } : inPlace(held);
    }
  }
}
