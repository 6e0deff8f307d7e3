import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { applyStep } from "../../core/session/edits";
import { clipSpan } from "../../core/session/clips";
import { clock, session } from "../testing/bench-session";
import type { Grip } from "./gestures";
import { dragEdit, dragged, grab } from "./gestures";

describe("taking hold of a clip", () => {
  test("the middle moves, the edges trim, beside it is nothing", () => {
    const at = (frame: number) => grab(session, clock, { row: 0, frame }, 100)?.grip ?? null;
    expect([at(90000), at(48100), at(143900), at(20000), at(160000)]).toEqual([
      "move",
      "trim start",
      "trim end",
      null,
      null,
    ]);
    expect(grab(session, clock, { row: 9, frame: 0 }, 100)).toBeNull();
  });

  test("any drag of any grip ends in an edit the session takes, and its inverse takes it back", () => {
    const drags = fc.record({
      row: fc.constantFrom(0, 1),
      grip: fc.constantFrom<Grip>("move", "trim start", "trim end", "fade in", "fade out", "gain", "stretch"),
      by: fc.integer({ min: -400000, max: 400000 }),
      snap: fc.boolean(),
    });
    fc.assert(
      fc.property(drags, ({ row, grip, by, snap }) => {
        const track = session.tracks[row]!;
        const clip = track.clips[0]!;
        const after = dragged(
          { grip, track: track.id, clip, grabbed: 60000 },
          session,
          clock,
          60000 + by,
          snap ? { grid: "beat", targets: [], reach: 0 } : null,
          by / 999,
        );
        const edit = dragEdit(clip, after, track.id);
        if (!edit) return;
        const result = applyStep(session, { label: "drag", edits: [edit] });
        expect(result.ok ? [] : result.problems).toEqual([]);
        if (result.ok)
          expect(applyStep(result.value.session, result.value.inverse)).toMatchObject({ ok: true, value: { session } });
      }),
      { numRuns: 400, seed: 2 },
    );
  });

  test("trimming the start leaves what sounds later where it was", () => {
    const clip = session.tracks[0]!.clips[0]!;
    const after = dragged({ grip: "trim start", track: "a", clip, grabbed: 48000 }, session, clock, 72000, null);
    expect(after).toMatchObject({ start: 72000, offset: 34000, frames: 72000 });
    expect(clipSpan(after, clock.tempo).to).toBe(clipSpan(clip, clock.tempo).to);
  });
});
