import { describe, expect, test } from "vitest";
import type { Note } from "../../core/session/document";
import type { ItemEntry } from "../parts/item-menu";
import { clock, session } from "../testing/bench-session";
import type { NoteWorld } from "./note-gesture";
import type { Key } from "./note-keys";
import { noteKey } from "./note-keys";
import { noteEntries, quantised } from "./note-menu";

const notes: readonly Note[] = [
  { tick: 10, ticks: 200, pitch: 60, velocity: 90 },
  { tick: 950, ticks: 200, pitch: 64, velocity: 80 },
];
const phrase = { ...session.phrases[0]!, notes: [...notes] };
const clip = session.tracks.find((t) => t.id === "i")!.clips[0] as NoteWorld["clip"];
const world: NoteWorld = {
  ...{ phrase, clip, clock, grid: "1/4", room: 200, chosen: notes },
  ...{ view: { start: 0, framesPerPixel: 240 }, range: { low: 55, high: 75 } },
};
const flat = (entries: readonly ItemEntry[]): readonly ItemEntry[] => entries.flatMap((e) => e.of ?? [e]);

describe("the menu of notes", () => {
  const step = () => 240;
  const run = (label: string) => {
    let made: unknown = null;
    const entries = noteEntries(notes.length, {
      byKey: (key: Key) => () => void (made = noteKey(key, { notes, phrase, step })),
      quantise: () => void (made = quantised(world, notes)),
      chooseAll: () => void (made = "all"),
    });
    flat(entries)
      .find((e) => e.label === label)
      ?.run?.();
    return made as { readonly all: readonly Note[]; readonly held: readonly Note[] };
  };
  test("does what its entries say, by the keys that they show", () => {
    expect(run("Delete notes").all).toEqual([]);
    expect(run("Octave up").held.map((n) => n.pitch)).toEqual([72, 76]);
    expect(run("Semitone down").held.map((n) => n.pitch)).toEqual([59, 63]);
    expect(run("Lengthen by a step").held.map((n) => n.ticks)).toEqual([440, 440]);
    expect(run("Quantise to grid").held.map((n) => [n.tick, n.ticks])).toEqual([
      [0, 200],
      [960, 200],
    ]);
    expect(run("Select all notes")).toBe("all");
  });
  test("asks for notes where none are chosen", () => {
    const noop = () => undefined;
    const entries = flat(noteEntries(0, { byKey: () => noop, quantise: noop, chooseAll: noop }));
    expect(entries.filter((e) => !e.blocked).map((e) => e.label)).toEqual(["Add a note after", "Select all notes"]);
  });
});
