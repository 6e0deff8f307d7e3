import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeNoteClip, makeSend, makeSession, makeTrack } from "../../core/session/build";
import { applyStep } from "../../core/session/edits";
import { hashOf } from "../../core/testing/listen";
import { keyOf } from "../session/actions";
import { clockOf } from "../session/clock";
import { extremes } from "./overviews";
import { clipSpan } from "../../core/session/clips";
import { dragEdit, dragged, grab, snapTick } from "./gestures";
import type { Grip } from "./gestures";
import { COLUMN, layoutPaths, rowHeights } from "./path-layout";
import { MAP_WIDTH, frameAt, rowHeightFor, shownView, useBenchView, xOf } from "./view";

const phrase = { id: "p", name: "Phrase", ticks: 3840, notes: [] };
const session = makeSession({
  assets: [{ id: hashOf(1), name: "take", frames: 200000, rate: 48000, channels: 2, origin: "imported" }],
  phrases: [phrase],
  meter: [{ bar: 1, numerator: 4, denominator: 4 }, { bar: 2, numerator: 5, denominator: 4 }],
  tracks: [
    makeTrack({ id: "a", name: "A", kind: "audio", output: "g", sends: [makeSend("s", "r", -6)], clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 48000, offset: 10000, frames: 96000, fadeIn: { frames: 20000, shape: "linear" }, fadeOut: { frames: 20000, shape: "linear" } })] }),
    makeTrack({ id: "i", name: "I", kind: "instrument", clips: [makeNoteClip("n", phrase, 960)], devices: [makeDevice("d", "bars"), makeDevice("k", "compressor", {}, "a"), makeDevice("x", "from-elsewhere")] }),
    makeTrack({ id: "g", name: "G", kind: "group" }),
    makeTrack({ id: "r", name: "R", kind: "return" }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const clock = clockOf(session);

describe("taking hold of a clip", () => {
  test("the middle moves, the edges trim, beside it is nothing", () => {
    const at = (frame: number) => grab(session, clock, 0, frame, 100)?.grip ?? null;
    expect([at(90000), at(48100), at(143900), at(20000), at(160000)]).toEqual(["move", "trim start", "trim end", null, null]);
    expect(grab(session, clock, 9, 0, 100)).toBeNull();
  });

  test("any drag of any grip ends in an edit the session takes, and its inverse takes it back", () => {
    const drags = fc.record({ row: fc.constantFrom(0, 1), grip: fc.constantFrom<Grip>("move", "trim start", "trim end"), by: fc.integer({ min: -400000, max: 400000 }), snap: fc.boolean() });
    fc.assert(fc.property(drags, ({ row, grip, by, snap }) => {
      const track = session.tracks[row]!;
      const clip = track.clips[0]!;
      const after = dragged({ grip, track: track.id, clip, grabbed: 60000 }, session, clock, 60000 + by, snap);
      const edit = dragEdit(clip, after, track.id);
      if (!edit) return;
      const result = applyStep(session, { label: "drag", edits: [edit] });
      expect(result.ok ? [] : result.problems).toEqual([]);
      if (result.ok) expect(applyStep(result.value.session, result.value.inverse)).toMatchObject({ ok: true, value: { session } });
    }), { numRuns: 400, seed: 2 });
  });

  test("trimming the start leaves what sounds later where it was", () => {
    const clip = session.tracks[0]!.clips[0]!;
    const after = dragged({ grip: "trim start", track: "a", clip, grabbed: 48000 }, session, clock, 72000, false);
    expect(after).toMatchObject({ start: 72000, offset: 34000, frames: 72000 });
    expect(clipSpan(after, clock.tempo).to).toBe(clipSpan(clip, clock.tempo).to);
  });

  test("snapping goes to the nearest beat of the bar's own meter", () => {
    expect([snapTick(clock, 470, true), snapTick(clock, 490, true), snapTick(clock, 3840 + 4 * 960 + 10, true), snapTick(clock, 471.6, false)]).toEqual([0, 960, 7680, 472]);
  });
});

describe("path map", () => {
  const layout = layoutPaths(session, rowHeights(40));

  test("every path runs up to the tap and on, and only the mix leaves the drawing", () => {
    expect(layout.upTo.map((s) => s.d)).toEqual([0, 1, 2, 3, 4].map((row) => `M${COLUMN.start} ${row * 40 + 20}H${COLUMN.tap}`));
    expect(layout.after.filter((s) => s.d.endsWith(`H${MAP_WIDTH - 12}`)).map((s) => s.track)).toEqual(["mix"]);
    expect(layout.spurs.map((s) => [s.track, s.to])).toEqual([["a", "r"]]);
  });

  test("beads stand in order, do not touch, stay left of the tap, and say what is keyed or absent", () => {
    const { beads } = layout.rows[1]!;
    expect(beads.map((b) => b.label)).toEqual(["Bars", "Comp ‹1", "from-elsewhere"]);
    expect(beads.map((b) => b.installed)).toEqual([true, true, false]);
    beads.forEach((b, i) => expect(b.x + b.width).toBeLessThan(beads[i + 1]?.x ?? COLUMN.tap));
  });

  test("twelve rows fit the Bench at 800 pixels", () => {
    expect(12 * rowHeightFor(12, 529)).toBeLessThanOrEqual(529);
    expect(rowHeightFor(200, 529)).toBe(41);
  });
});

describe("view", () => {
  test("zooming keeps what is under the pointer, and zooming out ends at the whole session", () => {
    const view = useBenchView.getState();
    view.measure(1000, 48000 * 60);
    const before = frameAt(shownView(useBenchView.getState()), 400);
    view.zoom(4, 400);
    expect(frameAt(shownView(useBenchView.getState()), 400)).toBeCloseTo(before, 3);
    expect(xOf(shownView(useBenchView.getState()), before)).toBeCloseTo(400, 6);
    view.zoom(1 / 100, 10);
    expect(useBenchView.getState().wanted.framesPerPixel).toBe(0);
  });

  test("an overview is read as the extremes of the asked span", () => {
    const pairs = Int8Array.of(-10, 20, -30, 5, -1, 60);
    expect(extremes(pairs, 0, 256)).toEqual([-10, 20]);
    expect(extremes(pairs, 0, 700)).toEqual([-30, 60]);
    expect(extremes(pairs, 99999, 100300)).toEqual([0, 0]);
  });
});

test("keys are named as they are shown", () => {
  const press = (key: string, more: Partial<KeyboardEvent> = {}) => keyOf({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...more } as KeyboardEvent);
  expect([press("f"), press("F", { shiftKey: true }), press("z", { ctrlKey: true }), press("?", { shiftKey: true }), press("ArrowLeft", { altKey: true }), press("Z", { metaKey: true, shiftKey: true })])
    .toEqual(["F", "Shift+F", "Ctrl+Z", "?", "Alt+ArrowLeft", "Ctrl+Shift+Z"]);
});
