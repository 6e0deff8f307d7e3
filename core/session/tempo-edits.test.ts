import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { tempoMap } from "../time/tempo";
import { makeSession, makeTrack } from "./build";
import type { Session } from "./document";
import type { Edit } from "./edits";
import { applyStep } from "./edits";
import { removeMeter, removeTempo, setMeter, setTempo } from "./tempo-edits";

const empty = makeSession({ tracks: [makeTrack({ id: "mix", name: "Mix", kind: "mix" })] });
const after = (session: Session, edits: readonly Edit[]): Session => {
  const made = applyStep(session, { label: "", edits: [...edits] });
  if (!made.ok) throw new Error(made.problems[0]!.what);
  const back = applyStep(made.value.session, made.value.inverse);
  expect(back.ok && back.value.session).toEqual(session);
  return made.value.session;
};

describe("tempo and meter along the timeline", () => {
  test("changes in any order at any place: the tempo is what was last said there, and what lies before it keeps its time", () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            tick: fc.integer({ min: 0, max: 20 }).map((n) => n * 480),
            bpm: fc.integer({ min: 30, max: 240 }),
          }),
          { minLength: 1, maxLength: 8 },
        ),
        (changes) => {
          const last = changes.at(-1)!;
          const before = changes
            .slice(0, -1)
            .reduce((s, c) => after(s, setTempo(s, { ...c, shape: "hold" })), empty as Session);
          const now = after(before, setTempo(before, { ...last, shape: "hold" }));
          expect(tempoMap(now.tempo, 48000).bpmAt(last.tick)).toBe(last.bpm);
          expect(tempoMap(now.tempo, 48000).toFrames(last.tick)).toBe(
            tempoMap(before.tempo, 48000).toFrames(last.tick),
          );
          const gone = removeTempo(now, last.tick);
          if (last.tick > 0) expect(after(now, gone).tempo.some((p) => p.tick === last.tick)).toBe(false);
          else expect(gone).toEqual([]);
        },
      ),
    );
  });

  test("a change of meter stands at its bar once; the first one cannot be taken away", () => {
    const five = after(empty, setMeter(empty, { bar: 9, numerator: 5, denominator: 4 }));
    const seven = after(five, setMeter(five, { bar: 9, numerator: 7, denominator: 8 }));
    expect(seven.meter).toEqual([
      { bar: 1, numerator: 4, denominator: 4 },
      { bar: 9, numerator: 7, denominator: 8 },
    ]);
    expect(after(seven, removeMeter(seven, 9)).meter).toEqual(empty.meter);
    expect([removeMeter(seven, 1), removeMeter(seven, 4), removeTempo(seven, 480)]).toEqual([[], [], []]);
  });
});
