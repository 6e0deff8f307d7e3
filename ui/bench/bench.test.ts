import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeNoteClip, makeSend, makeSession, makeTrack } from "../../core/session/build";
import { applyStep } from "../../core/session/edits";
import { hashOf } from "../../core/testing/listen";
import { keyOf } from "../session/actions";
import { clockOf } from "../session/clock";
import { extremes } from "./overviews";
import { clipSpan } from "../../core/session/clips";
import { dragEdit, dragged, grab } from "./gestures";
import { gridTick, snapFrame, snapTargets } from "./snap";
import { nearestCrossing } from "./zero-crossing";
import type { Grip } from "./gestures";
import { COLUMN, layoutPaths, rowHeights } from "./path-layout";
import { MAP_WIDTH, frameAt, rowHeightFor, shownView, useBenchView, xOf } from "./view";

const phrase = { id: "p", name: "Phrase", ticks: 3840, notes: [] };
const session = makeSession({
  assets: [{ id: hashOf(1), name: "take", frames: 200000, rate: 48000, channels: 2, origin: "imported" }],
  phrases: [phrase],
  meter: [
    { bar: 1, numerator: 4, denominator: 4 },
    { bar: 2, numerator: 5, denominator: 4 },
  ],
  tracks: [
    makeTrack({
      id: "a",
      name: "A",
      kind: "audio",
      output: "g",
      sends: [makeSend("s", "r", -6)],
      clips: [
        makeAudioClip({
          id: "c",
          asset: hashOf(1),
          start: 48000,
          offset: 10000,
          frames: 96000,
          fadeIn: { frames: 20000, shape: "linear" },
          fadeOut: { frames: 20000, shape: "linear" },
        }),
      ],
    }),
    makeTrack({
      id: "i",
      name: "I",
      kind: "instrument",
      clips: [makeNoteClip("n", phrase, 960)],
      devices: [makeDevice("d", "bars"), makeDevice("k", "compressor", {}, "a"), makeDevice("x", "from-elsewhere")],
    }),
    makeTrack({ id: "g", name: "G", kind: "group" }),
    makeTrack({ id: "r", name: "R", kind: "return" }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const clock = clockOf(session);

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

  test("snapping goes to the nearest beat of the bar's own meter", () => {
    expect([
      gridTick(clock, 470, "beat"),
      gridTick(clock, 490, "beat"),
      gridTick(clock, 3840 + 4 * 960 + 10, "beat"),
      gridTick(clock, 471.6, "none"),
    ]).toEqual([0, 960, 7680, 472]);
  });
});

describe("what dragging holds on to", () => {
  test("a place within reach wins over the grid, the nearest of them; beyond reach the grid holds; with nothing every frame", () => {
    const snap = { grid: "beat" as const, targets: [1000, 30_000, 30_400], reach: 300 };
    expect([
      snapFrame(clock, 1200, snap),
      snapFrame(clock, 30_250, snap),
      snapFrame(clock, 31_000, snap),
      snapFrame(clock, 31_000, null),
      snapFrame(clock, -50, null),
    ]).toEqual([1000, 30_400, 24_000, 31_000, 0]);
    expect([
      gridTick(clock, 3840 + 2000, "bar"),
      gridTick(clock, 3840 + 3000, "bar"),
      gridTick(clock, 700, "1/3"),
      gridTick(clock, 700, "1/4"),
    ]).toEqual([3840, 3840 + 4800, 640, 720]);
  });

  test("places are edges of other clips, beginnings of sounds inside them, markers and ranges, as the settings say", () => {
    const with2 = {
      ...session,
      markers: [{ id: "m", name: "M", tick: 960 }],
      ranges: [{ id: "r", name: "R", from: 0, to: 1920 }],
    };
    const onsets = () => [5000, 20_000, 150_000];
    const places = (toClips: boolean, toOnsets: boolean, leaveOut: readonly string[] = []) =>
      snapTargets(with2, clock, { toClips, toOnsets }, onsets, new Set(leaveOut));
    expect(places(false, false)).toEqual([0, 24_000, 48_000]);
    // The clip shows its audio from frame 10,000 to 106,000 at 48,000: one onset lies inside.
    expect(places(true, true, ["n"])).toEqual([0, 24_000, 48_000, 48_000, 58_000, 144_000]);
    expect(places(true, true, ["n", "c"])).toEqual([0, 24_000, 48_000]);
  });

  test("the crossing of zero that is nearest", () => {
    expect(nearestCrossing(Float32Array.of(1, 0.5, -0.2, -1, -0.1, 0.4, 1), 4)).toBe(5);
    expect(nearestCrossing(Float32Array.of(1, 0.5, 0.2), 1)).toBeNull();
  });
});

describe("path map", () => {
  const layout = layoutPaths(session, rowHeights(40));

  test("every path runs up to the tap and on, and only the mix leaves the drawing", () => {
    expect(layout.upTo.map((s) => s.d)).toEqual(
      [0, 1, 2, 3, 4].map((row) => `M${COLUMN.start} ${row * 40 + 20}H${COLUMN.tap}`),
    );
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
  const press = (key: string, more: Partial<KeyboardEvent> = {}) =>
    keyOf({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...more } as KeyboardEvent);
  expect([
    press("f"),
    press("F", { shiftKey: true }),
    press("z", { ctrlKey: true }),
    press("?", { shiftKey: true }),
    press("ArrowLeft", { altKey: true }),
    press("Z", { metaKey: true, shiftKey: true }),
  ]).toEqual(["F", "Shift+F", "Ctrl+Z", "?", "Alt+ArrowLeft", "Ctrl+Shift+Z"]);
});
