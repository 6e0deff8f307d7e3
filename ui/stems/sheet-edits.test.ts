import fc from "fast-check";
import { expect, test } from "vitest";
import { makeAudioClip, makeSession, makeTrack } from "../../core/session/build";
import type { Session } from "../../core/session/document";
import type { Step } from "../../core/session/edits";
import { applyStep } from "../../core/session/edits";
import { fillSheet } from "../../core/delivery/sheet";
import { hashOf } from "../../core/testing/listen";
import { recordedAssets } from "../../core/testing/random-session";
import { addStem, combine, combineRows, leaveOut, leftOut, moveRow, takeApart } from "./sheet-edits";

const base = makeSession({
  assets: recordedAssets,
  tracks: [
    ...["a", "b", "c", "d"].map((id) =>
      makeTrack({
        id,
        name: id.toUpperCase(),
        kind: "audio",
        clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: 1000 })],
      }),
    ),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const session: Session = { ...base, sheet: fillSheet(base) };
const after = (s: Session, step: Step | null): Session => {
  if (!step) return s;
  const result = applyStep(s, step);
  if (!result.ok) throw new Error(result.problems[0]?.what);
  return result.value.session;
};
const shape = (s: Session) => s.sheet.rows.map((r) => r.sources.join("+"));

test("a track dropped on a stem joins it and leaves its own", () => {
  expect(shape(after(session, combine(session, "a", "row-c")))).toEqual(["b", "c+a", "d"]);
  expect(combine(session, "a", "row-a")).toBeNull();
});

test("stems combine, come apart, move and are left out", () => {
  const both = after(session, combineRows(session, "row-b", "row-a"));
  expect(shape(both)).toEqual(["a+b", "c", "d"]);
  let n = 0;
  expect(
    shape(
      after(
        both,
        takeApart(both, "row-a", () => `new-${n++}`),
      ),
    ),
  ).toEqual(["a", "b", "c", "d"]);
  expect(shape(after(session, moveRow(session, "row-d", 0)))).toEqual(["d", "a", "b", "c"]);
  expect(moveRow(session, "row-a", -5)).toBeNull();
  const without = after(both, leaveOut(both, "row-a", "b"));
  expect(shape(without)).toEqual(["a", "c", "d"]);
  expect(leftOut(without).map((t) => t.id)).toEqual(["b"]);
  expect(
    shape(
      after(
        without,
        addStem(without, base.tracks[1]!, () => "again"),
      ),
    ),
  ).toEqual(["a", "c", "d", "b"]);
});

test("whatever is dropped where, every track stands in at most one stem and none is empty", () => {
  const moves = fc.array(
    fc.record({
      track: fc.constantFrom("a", "b", "c", "d"),
      row: fc.constantFrom("row-a", "row-b", "row-c", "row-d"),
      out: fc.boolean(),
    }),
    { maxLength: 12 },
  );
  fc.assert(
    fc.property(moves, (list) => {
      const end = list.reduce(
        (s, { track, row, out }) => after(s, out ? leaveOut(s, row, track) : combine(s, track, row)),
        session,
      );
      const sources = end.sheet.rows.flatMap((r) => r.sources);
      expect(new Set(sources).size).toBe(sources.length);
      expect(end.sheet.rows.every((r) => r.sources.length > 0)).toBe(true);
    }),
  );
});
