import type { Note, Phrase } from "../../core/session/document";
import { moveNotes } from "../../core/session/note-edits";
import type { Ticks } from "../../core/units";
import type { NoteWrite } from "./note-gesture";
import { replaced } from "./note-gesture";

const FIRST = { pitch: 60, velocity: 90 } as const;

/** A key that was pressed, as the browser tells it. */
export type Key = Pick<KeyboardEvent, "key" | "ctrlKey" | "altKey" | "shiftKey">;

/**
 * What a key does to the notes of a phrase, of which some are chosen: what is to be written, what is chosen alone, or
 * null for a key that does nothing here. `step`: the length of a step of the grid at a tick.
 */
export function noteKey(
  { key, ctrlKey, altKey, shiftKey }: Key,
  { notes, phrase, step }: { notes: readonly Note[]; phrase: Phrase; step: (tick: Ticks) => Ticks },
): NoteWrite | { readonly choose: readonly Note[] } | null {
  if (ctrlKey && key.toLowerCase() === "a") return { choose: phrase.notes };
  if (key === "Insert" || key === "Enter") {
    const last = notes.at(-1);
    const tick = last ? last.tick + last.ticks : 0;
    const { pitch, velocity } = last ?? FIRST;
    const note: Note = { tick, ticks: step(tick), pitch, velocity };
    return { label: "Write a note", all: [...phrase.notes, note], held: [note] };
  }
  if (notes.length === 0) return null;
  const inPlace = (label: string, held: readonly Note[]) => ({ label, all: replaced(phrase, notes, held), held });
  switch (key) {
    case "Delete":
    case "Backspace":
      return inPlace(notes.length === 1 ? "Remove a note" : `Remove ${notes.length} notes`, []);
    case "ArrowUp":
    case "ArrowDown":
      return inPlace("Move", moveNotes(notes, 0, (key === "ArrowUp" ? 1 : -1) * (shiftKey ? 12 : 1)));
    case "ArrowLeft":
    case "ArrowRight": {
      const to = key === "ArrowRight" ? 1 : -1;
      if (!altKey) return inPlace("Move", moveNotes(notes, to * step(notes[0]?.tick ?? 0), 0));
      return inPlace(
        "Lengthen",
        notes.map((n) => ({ ...n, ticks: Math.max(1, n.ticks + to * step(n.tick)) })),
      );
    }
    default:
      return null;
  }
}
