import type { Note } from "../../core/session/document";
import type { ItemEntry } from "../parts/item-menu";
import type { NoteWorld, NoteWrite } from "./note-gesture";
import { gridStep, replaced } from "./note-gesture";
import type { Key } from "./note-keys";

const KEY: Key = { key: "", ctrlKey: false, altKey: false, shiftKey: false };

/** What can be done with notes; most of it has a key that does the same. `count`: of the notes it is about. */
export function noteEntries(
  count: number,
  {
    byKey,
    quantise,
    chooseAll,
  }: {
    readonly byKey: (key: Key) => () => void;
    readonly quantise: () => void;
    readonly chooseAll: () => void;
  },
): readonly ItemEntry[] {
  const none = count === 0 ? "Select notes first" : null;
  const entry = (label: string, shown: string, key: Partial<Key>): ItemEntry => ({
    ...{ label, key: shown, run: byKey({ ...KEY, ...key }), blocked: none },
  });
  return [
    entry("Delete notes", "Delete", { key: "Delete" }),
    { label: "Quantise to grid", run: quantise, blocked: none },
    {
      label: "Transpose",
      of: [
        entry("Semitone up", "Up", { key: "ArrowUp" }),
        entry("Semitone down", "Down", { key: "ArrowDown" }),
        entry("Octave up", "Shift+Up", { key: "ArrowUp", shiftKey: true }),
        entry("Octave down", "Shift+Down", { key: "ArrowDown", shiftKey: true }),
      ],
    },
    entry("Lengthen by a step", "Alt+Right", { key: "ArrowRight", altKey: true }),
    entry("Shorten by a step", "Alt+Left", { key: "ArrowLeft", altKey: true }),
    { label: "Add a note after", key: "Enter", run: byKey({ ...KEY, key: "Enter" }) },
    { label: "Select all notes", key: "Ctrl+A", run: chooseAll },
  ];
}

/** Notes with their beginnings on the nearest step of the grid; their lengths stay. */
export function quantised(
  world: Pick<NoteWorld, "clock" | "clip" | "grid" | "phrase">,
  notes: readonly Note[],
): NoteWrite {
  const held = notes.map((n) => {
    const step = gridStep(world, n.tick);
    return { ...n, tick: Math.max(0, Math.round(n.tick / step) * step) };
  });
  return { label: "Quantise", all: replaced(world.phrase, notes, held), held };
}
