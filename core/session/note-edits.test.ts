import fc from "fast-check";
import { expect, test } from "vitest";
import { hashOf } from "../testing/listen";
import { makeNoteClip, makeSession, makeTrack, makeDevice } from "./build";
import type { Session } from "./document";
import { applyStep } from "./edits";
import { emptyPhrase, moveNotes, ownPhrase, pitchName, placementsOf, writeNotes } from "./note-edits";

const phrase = { id: "p", name: "P", ticks: 1920, notes: [{ tick: 0, ticks: 480, pitch: 60, velocity: 90 }] };
const session: Session = makeSession({
  assets: [{ id: hashOf(1), name: "x", frames: 1, rate: 48000, channels: 1, origin: "imported" }],
  phrases: [phrase],
  tracks: [
    makeTrack({
      id: "i",
      name: "I",
      kind: "instrument",
      devices: [makeDevice("d", "bars")],
      clips: [
        makeNoteClip("one", phrase, 0),
        { ...makeNoteClip("short", phrase, 3840), ticks: 960 },
        makeNoteClip("loop", phrase, 9600, 3840),
      ],
    }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const applied = (edits: Parameters<typeof applyStep>[1]["edits"]): Session => {
  const done = applyStep(session, { label: "", edits });
  if (!done.ok) throw new Error(done.problems[0]?.what);
  const back = applyStep(done.value.session, done.value.inverse);
  expect(back.ok && back.value.session).toEqual(session);
  return done.value.session;
};
const notes = fc.array(
  fc.record({
    tick: fc.nat(8000),
    ticks: fc.integer({ min: 1, max: 2000 }),
    pitch: fc.nat(127),
    velocity: fc.integer({ min: 1, max: 127 }),
  }),
  { minLength: 1, maxLength: 12 },
);

test("whatever is written, the phrase holds it, in order, and placements that showed it whole go on doing so", () => {
  fc.assert(
    fc.property(notes, (list) => {
      const after = applied([...writeNotes(session, phrase, list)]);
      const written = after.phrases[0]!;
      expect(written.notes.length).toBe(list.length);
      written.notes.forEach((n, i) => {
        if (i > 0) expect(n.tick).toBeGreaterThanOrEqual(written.notes[i - 1]!.tick);
      });
      expect(written.ticks).toBeGreaterThanOrEqual(Math.max(...list.map((n) => n.tick + n.ticks)));
      expect(after.tracks[0]!.clips.map((c) => c.kind === "notes" && c.ticks)).toEqual([written.ticks, 960, 3840]);
    }),
  );
});

test("notes move together and stay within what there is", () => {
  fc.assert(
    fc.property(
      notes,
      fc.integer({ min: -9000, max: 9000 }),
      fc.integer({ min: -130, max: 130 }),
      (list, ticks, up) => {
        const moved = moveNotes(list, ticks, up);
        expect(new Set(moved.map((n, i) => n.tick - list[i]!.tick)).size).toBe(1);
        expect(new Set(moved.map((n, i) => n.pitch - list[i]!.pitch)).size).toBe(1);
        for (const n of moved) expect(n.tick >= 0 && n.pitch >= 0 && n.pitch <= 127).toBe(true);
      },
    ),
  );
});

test("a placement gets a phrase of its own; a new one is empty; pitches have their names", () => {
  expect(placementsOf(session, "p").map(({ clip }) => clip.id)).toEqual(["one", "short", "loop"]);
  const clip = session.tracks[0]!.clips[1]!;
  if (clip.kind !== "notes") throw new Error("no notes");
  const own = applied([...ownPhrase(session, session.tracks[0]!, clip, () => "q")]);
  expect([placementsOf(own, "p").length, placementsOf(own, "q").map((p) => p.clip.id)]).toEqual([2, ["short"]]);
  let n = 0;
  const made = emptyPhrase(session, session.tracks[0]!, 480, 3840, () => `n${n++}`);
  expect(applied([...made.edits]).tracks[0]!.clips.at(-1)).toMatchObject({ id: made.clip, start: 480, ticks: 3840 });
  expect([60, 69, 0, 127].map(pitchName)).toEqual(["C4", "A4", "C-1", "G9"]);
});
