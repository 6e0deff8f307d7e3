import { placedNotes } from "../../core/session/clips";
import type { Note, NoteClip, Phrase, Session } from "../../core/session/document";
import type { Clock } from "../session/clock";
import { drawGrid } from "../canvas/draw-ruler";
import type { Inks } from "../canvas/inks";
import type { LaneView } from "../timeline/view";
import { xOf } from "../timeline/view";

/** The strip at the foot in which velocities stand as strokes. */
export const VELOCITY_PX = 40;
/** The pitches that are shown, the highest at the top. */
export interface Window {
  readonly low: number;
  readonly high: number;
}

interface NotesPicture {
  readonly session: Session;
  readonly clock: Clock;
  readonly view: LaneView;
  readonly clip: NoteClip;
  readonly phrase: Phrase;
  readonly chosen: readonly Note[];
  readonly range: Window;
  readonly width: number;
  readonly height: number;
  readonly room: number;
}

/** Rows of semitones, the clip's stretch, the notes as the clip places them, and their velocities as strokes. */
export function drawNotes(c: CanvasRenderingContext2D, p: NotesPicture, inks: Inks): void {
  const { clip, phrase, range, room } = p;
  c.clearRect(0, 0, p.width, p.height);
  c.fillStyle = inks.shade;
  c.fillRect(0, 0, p.width, p.height);
  const x = (tick: number) => xOf(p.view, p.clock.tempo.toFrames(Math.max(0, tick)));
  const [left, right] = [x(clip.start), x(clip.start + clip.ticks)];
  c.fillStyle = inks.lift;
  c.fillRect(left, 0, right - left, p.height);
  const px = room / (range.high - range.low + 1);
  c.fillStyle = inks.shade;
  for (let pitch = range.low; pitch <= range.high; pitch++) {
    if ([1, 3, 6, 8, 10].includes(pitch % 12)) c.fillRect(left, (range.high - pitch) * px, right - left, px);
  }
  drawGrid(c, p.clock, p.view, p.width, p.height, inks);
  c.strokeStyle = inks.faint;
  c.beginPath();
  c.moveTo(0, room + 0.5);
  c.lineTo(p.width, room + 0.5);
  c.stroke();
  // What the clip plays, rounds of a loop included, in pale; over it the notes themselves, where they can be taken hold
  // of.
  c.fillStyle = inks.faint;
  if (clip.loop)
    for (const note of placedNotes(clip, phrase))
      c.fillRect(
        x(note.start),
        (range.high - note.pitch) * px + px * 0.25,
        Math.max(2, x(note.end) - x(note.start) - 1),
        px * 0.5,
      );
  for (const note of phrase.notes) {
    const start = note.tick + clip.start - clip.offset;
    const held = p.chosen.some((n) => n.tick === note.tick && n.pitch === note.pitch && n.ticks === note.ticks);
    const [a, b] = [x(start), x(start + note.ticks)];
    c.fillStyle = held ? inks.spot : start < clip.start || start >= clip.start + clip.ticks ? inks.faint : inks.ink;
    c.globalAlpha = held ? 1 : 0.45 + (0.55 * note.velocity) / 127;
    c.fillRect(a, (range.high - note.pitch) * px + 0.5, Math.max(3, b - a - 1), Math.max(3, px - 1));
    c.globalAlpha = 1;
    const tall = ((VELOCITY_PX - 6) * note.velocity) / 127;
    c.fillRect(a, p.height - tall, 2.5, tall);
    c.fillRect(a - 1.5, p.height - tall, 5.5, 3);
  }
}
