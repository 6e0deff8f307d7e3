import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeNest } from "../../core/session/build";
import type { AudioClip, Note, Phrase } from "../../core/session/document";
import { trackInside } from "../../core/session/inside-nest";
import { laneTargets } from "../../core/session/lanes";
import { writeNotes } from "../../core/session/note-edits";
import { applyStep } from "../../core/session/edits";
import { clock, session } from "../testing/bench-session";
import { drag, pointAt } from "../testing/point";
import type { AutomationWorld } from "./automation-gesture";
import { LANE_PX, automationGesture, automationKey, newPoint, yOfValue } from "./automation-gesture";
import { STRIP_PX, bendGesture, centsShown, yOfCents } from "./bend-gesture";
import { nestGesture } from "./nest-gesture";
import type { NoteWorld } from "./note-gesture";
import { noteGesture } from "./note-gesture";
import { noteKey } from "./note-keys";

const track = session.tracks[0]!;
const recording = session.assets[0]!.frames;
/** At 120 bpm a beat is 24,000 frames: 100 pixels. */
const view = { start: 0, framesPerPixel: 240 };
const anywhere = fc
  .record({ x: fc.integer({ min: -20, max: 1500 }), y: fc.integer({ min: -10, max: 190 }) })
  .chain(({ x, y }) =>
    fc.record({ free: fc.boolean(), copies: fc.boolean(), shift: fc.boolean() }).map((keys) => pointAt(x, y, keys)),
  );

describe("notes", () => {
  const note = (tick: number, pitch: number): Note => ({ tick, ticks: 480, pitch, velocity: 80 });
  const phrase: Phrase = { id: "p", name: "P", ticks: 3840, notes: [note(0, 60), note(1000, 64)] };
  const clip = { ...session.tracks[1]!.clips[0]!, start: 0, offset: 0, ticks: 3840 } as NoteWorld["clip"];
  // Ten semitones of 10 px, from 57 to 66.
  const world = (chosen: readonly Note[] = []): NoteWorld => ({
    ...{ phrase, clip, clock, view, chosen },
    grid: "beat",
    range: { low: 57, high: 66 },
    room: 100,
  });
  const yOfPitch = (pitch: number) => (66 - pitch) * 10 + 5;
  const [first, second] = phrase.notes as [Note, Note];
  const drop = (from: ReturnType<typeof pointAt>, to: ReturnType<typeof pointAt>, chosen?: readonly Note[]) =>
    drag(noteGesture(world(chosen)), from, to, undefined);

  test("a press on a note chooses it and changes nothing, also beside the grid", () => {
    const on = pointAt(120, yOfPitch(64));
    expect(noteGesture(world()).begin(on, undefined)).toMatchObject({ what: "move", notes: [second] });
    expect(drop(on, on)).toBeNull();
    const edge = pointAt(152, yOfPitch(64));
    expect(noteGesture(world()).begin(edge, undefined)).toMatchObject({ what: "lengthen" });
    expect(drop(edge, edge)).toBeNull();
  });

  test("a press on empty ground writes a note of one step there", () => {
    const on = pointAt(210, yOfPitch(58));
    expect(drop(on, on)).toEqual({
      label: "Write a note",
      all: [...phrase.notes, { tick: 1920, ticks: 960, pitch: 58, velocity: 90 }],
      held: [{ tick: 1920, ticks: 960, pitch: 58, velocity: 90 }],
    });
  });

  test("with Shift notes are added and taken away; all that are chosen move together, with Ctrl as copies", () => {
    const shift = pointAt(10, yOfPitch(60), { shift: true });
    expect(noteGesture(world([second])).begin(shift, undefined)?.notes).toEqual([second, first]);
    expect(noteGesture(world([first, second])).begin(shift, undefined)).toEqual({ what: "choose", notes: [second] });
    const [from, to] = [pointAt(10, yOfPitch(60)), pointAt(110, yOfPitch(62))];
    const both = drop(from, to, [first, second]);
    expect(both?.all).toEqual([note(960, 62), note(1960, 66)]);
    const copies = drop({ ...from, copies: true }, to, [first, second]);
    expect(copies?.all).toHaveLength(4);
  });

  test("velocities are pulled at their sticks, within 1 and 127", () => {
    const up = drop(pointAt(2, 130), pointAt(2, 60));
    expect(up?.held).toEqual([{ ...first, velocity: 127 }]);
    expect(drop(pointAt(60, 130), pointAt(60, 60))).toBeNull();
  });

  test("from anywhere to anywhere makes notes that the session takes", () => {
    fc.assert(
      fc.property(anywhere, anywhere, fc.subarray([first, second]), (from, to, chosen) => {
        const made = drop(from, to, chosen);
        if (!made) return;
        const of = { ...session, phrases: [phrase] };
        const step = applyStep(of, { label: made.label, edits: writeNotes(of, phrase, made.all) });
        expect(step.ok).toBe(true);
        expect(made.held.every((n) => made.all.includes(n))).toBe(true);
      }),
    );
  });

  test("keys write, move, lengthen and remove what is chosen", () => {
    const press = (key: string, keys: Partial<Record<"ctrlKey" | "altKey" | "shiftKey", boolean>> = {}) =>
      noteKey(
        { key, ctrlKey: false, altKey: false, shiftKey: false, ...keys },
        { notes: [first], phrase, step: () => 960 },
      );
    expect(press("ArrowUp", { shiftKey: true })).toMatchObject({ held: [note(0, 72)] });
    expect(press("ArrowRight")).toMatchObject({ label: "Move", held: [note(960, 60)] });
    expect(press("ArrowRight", { altKey: true })).toMatchObject({ held: [{ ...first, ticks: 1440 }] });
    expect(press("Enter")).toMatchObject({ held: [{ ...first, tick: 480, ticks: 960 }] });
    expect(press("Delete")).toEqual({ label: "Remove a note", all: [second], held: [] });
    expect(press("a", { ctrlKey: true })).toEqual({ choose: phrase.notes });
    expect(press("x")).toBeNull();
  });
});

describe("clips in a nest", () => {
  const child = makeAudioClip({ id: "k", asset: session.assets[0]!.id, start: 24_000, frames: 96_000 });
  const nest = makeNest({ id: "nest", children: [child], start: 48_000, offset: 0, frames: 150_000 });
  const inner = { ...session, tracks: [trackInside(track, nest, 48_000)] };
  const world = { inner, shift: 48_000, clock, view, snapWithout: () => ({ grid: "none", targets: [], reach: 0 }) };
  const gesture = nestGesture(world as Parameters<typeof nestGesture>[0]);

  test("are moved where they sound, and told in the nest's own time", () => {
    expect(drag(gesture, pointAt(500, 90), pointAt(540, 90), undefined)).toEqual({
      label: "Move k",
      id: "k",
      patch: { start: 24_000 + 40 * 240 },
    });
    expect(drag(gesture, pointAt(500, 90), pointAt(500, 90), undefined)).toBeNull();
  });

  test("never begin before the nest's own zero", () => {
    fc.assert(
      fc.property(anywhere, anywhere, (from, to) => {
        const made = drag(gesture, from, to, undefined);
        if (made) expect(made.patch.start).toBeGreaterThanOrEqual(0);
      }),
    );
  });
});

describe("time markers and points of pitch", () => {
  const clip: AudioClip = {
    ...(track.clips[0] as AudioClip),
    timeMarks: [{ at: 50_000, to: 50_000 }],
    pitchLine: [{ at: 60_000, cents: 100 }],
  };
  const world = { clip, audio: recording, clock, view, grid: "none" as const, height: 184 };
  const gesture = bendGesture(world);
  const zeroPx = (clip.start - clip.offset) / 240;

  test("a marker follows the pointer, and stays within its neighbours", () => {
    const from = pointAt(zeroPx + 50_000 / 240, 5);
    const to = { ...from, x: from.x + 20 };
    expect(drag(gesture, from, to, { what: "mark", at: 50_000 })).toEqual({ do: "move mark", at: 50_000, to: 54_800 });
    expect(drag(gesture, from, from, { what: "mark", at: 50_000 })).toBeNull();
  });

  test("a point of pitch takes the place in the recording and the cents under the pointer", () => {
    const y = yOfCents(-50, centsShown(clip), 184);
    const made = drag(gesture, pointAt(400, y + 20), pointAt(420, y), { what: "pitch", at: 60_000 });
    expect(made).toEqual({ do: "move pitch", was: 60_000, at: 420 * 240 - 38_000, cents: -50 });
    expect(yOfCents(0, 300, 184)).toBe(STRIP_PX + (184 - STRIP_PX) / 2);
  });
});

describe("automation", () => {
  const target = laneTargets(session, track).find((t) => t.target === "pan")!;
  const point = (tick: number, value: number) => ({ tick, value, shape: "linear" as const, bend: 0 });
  const points = [point(0, 0), point(1920, 0.5)];
  const world: AutomationWorld = { points, target, clock, view, grid: "beat" };
  const y = (value: number) => yOfValue(target, value);

  test("a point is dragged onto the grid, and off it with Alt", () => {
    const gesture = automationGesture(world);
    const handle = { what: "point" as const, point: points[1]! };
    const moved = drag(gesture, pointAt(200, y(0.5)), pointAt(309, y(-0.5)), handle);
    expect([moved?.choose, moved?.points.length]).toEqual([2880, 2]);
    expect(moved?.points[1]?.value).toBeCloseTo(-0.5, 6);
    const free = drag(gesture, pointAt(200, y(0.5)), pointAt(309, y(-0.5), { free: true }), handle);
    expect(free?.choose).not.toBe(2880);
    expect(drag(gesture, pointAt(200, y(0.5)), pointAt(200, y(0.5)), handle)).toBeNull();
  });

  test("a line is bent by its middle, and straight again near no bend", () => {
    const gesture = automationGesture(world);
    const handle = { what: "bend" as const, point: points[0]! };
    const bent = drag(gesture, pointAt(100, 40), pointAt(100, 65), handle);
    expect(bent?.points[0]).toMatchObject({ shape: "curved", bend: 0.5, tick: 0 });
    expect(drag(gesture, pointAt(100, 40), pointAt(100, 41), handle)?.points[0]).toMatchObject({ shape: "linear" });
  });

  test("a press puts a point that goes on as the one before; keys move and remove points, never the last", () => {
    expect(newPoint(world, pointAt(102, y(0)))).toMatchObject({ choose: 960, points: { length: 3 } });
    expect(automationKey("Delete", world, points[1]!)?.points).toEqual([points[0]]);
    expect(automationKey("Delete", { ...world, points: [points[0]!] }, points[0]!)).toBeNull();
    expect(automationKey("ArrowUp", world, points[0]!)?.points[0]?.value).toBeGreaterThan(0);
    expect(automationKey("x", world, points[0]!)).toBeNull();
  });

  test("from anywhere to anywhere ticks rise and values stay within", () => {
    fc.assert(
      fc.property(anywhere, anywhere, fc.constantFrom("point" as const, "bend" as const), (from, to, what) => {
        const made = drag(
          automationGesture(world),
          from,
          { ...to, y: Math.min(LANE_PX, to.y) },
          { what, point: points[0]! },
        );
        for (const [i, p] of (made?.points ?? []).entries()) {
          expect(p.value).toBeGreaterThanOrEqual(target.min);
          expect(p.value).toBeLessThanOrEqual(target.max);
          if (i > 0) expect(p.tick).toBeGreaterThan(made?.points[i - 1]?.tick ?? -1);
        }
      }),
    );
  });
});
