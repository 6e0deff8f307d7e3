import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { applyStep } from "../../core/session/edits";
import type { Session } from "../../core/session/document";
import { dragEdit } from "../clips/gestures";
import { clock, session } from "../testing/bench-session";
import { drag, pointAt } from "../testing/point";
import type { LaneDone, LaneWorld } from "./lane-gesture";
import { laneGesture } from "./lane-gesture";

const ROW_PX = 40;
/** 240 frames a pixel: the clip of the first row lies from 200 to 600 px. */
const world = (over: Partial<LaneWorld> = {}): LaneWorld => ({
  ...{ whole: session, rows: session, shown: session, clock, rowHeight: ROW_PX, scrollTop: 0, acrossRows: true },
  view: { start: 0, framesPerPixel: 240 },
  chosen: [],
  snapWithout: () => ({ grid: "none", targets: [], reach: 0 }),
  padAt: () => null,
  newId: (
    (n) => () =>
      `new-${n++}`
  )(0),
  ...over,
});
const C = { track: "a", clip: "c" };
const MIDDLE = pointAt(400, 30);
const done = (from = MIDDLE, to = MIDDLE, over: Partial<LaneWorld> = {}) =>
  drag(laneGesture(world(over)), from, to, undefined);

/** The session after what a gesture came to. */
function after(made: LaneDone | null): Session {
  if (made?.do === "take") return taken(made.step.label, made.step.edits);
  if (made?.do === "edit") return taken(made.label, made.edits);
  const edit = made?.do === "shape" ? dragEdit(made.drag.clip, made.after, made.drag.track) : null;
  return edit ? taken("Shape", [edit]) : session;
}
function taken(label: string, edits: Parameters<typeof applyStep>[1]["edits"]): Session {
  const made = applyStep(session, { label, edits });
  if (!made.ok) throw new Error(JSON.stringify(made.problems));
  return made.value.session;
}

describe("a press", () => {
  test("on a clip chooses it; with Ctrl it adds it, and takes it out when it was chosen", () => {
    expect(done()).toEqual({ do: "choose clips", clips: [C] });
    const add = pointAt(400, 30, { copies: true });
    expect(laneGesture(world({ chosen: [{ track: "i", clip: "n" }] })).begin(add, undefined)).toMatchObject({
      chosen: [{ track: "i", clip: "n" }, C],
    });
    expect(done(add, add)).toBeNull();
    expect(done(add, add, { chosen: [C] })).toEqual({ do: "choose clips", clips: [] });
  });

  test("where no clip is chooses the track, below the tracks none", () => {
    expect(done(pointAt(50, 30), pointAt(50, 30))).toEqual({ do: "choose", tracks: ["a"] });
    expect(done(pointAt(50, 900), pointAt(50, 900))).toEqual({ do: "choose", tracks: [] });
  });
});

describe("a drag", () => {
  test("where no clip is draws a range over the rows it crosses, and chooses the clips within", () => {
    const made = done(pointAt(700, 30), pointAt(100, 70));
    expect(made).toMatchObject({ do: "choose range", range: { from: 24_000, to: 168_000, tracks: ["a", "i"] } });
    expect(made?.do === "choose range" && made.clips.map((c) => c.clip)).toContain("c");
  });

  test("of a clip moves it by as many frames, with Ctrl a copy of it", () => {
    const moved = after(done(MIDDLE, pointAt(450, 30)));
    expect(moved.tracks[0]?.clips.map((c) => c.start)).toEqual([48_000 + 50 * 240]);
    const copied = after(done(MIDDLE, pointAt(450, 30, { copies: true })));
    expect(copied.tracks[0]?.clips.map((c) => c.start).sort()).toEqual([48_000, 60_000]);
  });

  test("of a clip of a single enlarged row stays on its row", () => {
    expect(laneGesture(world({ acrossRows: false })).begin(MIDDLE, undefined)).not.toBeNull();
    const made = done(MIDDLE, pointAt(450, 500), { acrossRows: false });
    expect(made?.do === "edit" && made.choose).toEqual([C]);
  });

  test("onto a pad prints the clip there, and a gain or an edge is never printed", () => {
    const onPad = { padAt: () => ({ track: "k", device: "kit", pad: 3 }) };
    expect(done(MIDDLE, pointAt(450, 30), onPad)).toMatchObject({
      do: "print onto pad",
      pad: { pad: 3 },
      slip: { tracks: ["a"], clips: ["c"] },
    });
    expect(done(pointAt(400, 5), pointAt(400, 40), onPad)).toMatchObject({ do: "shape" });
  });

  test("of a clip of a frozen track leaves it where it is and copies its audio", () => {
    const hash = session.assets[0]!.id;
    const frozen = { ...session, tracks: session.tracks.map((t) => (t.id === "a" ? freeze(t, hash) : t)) };
    const over = { whole: frozen, rows: frozen, shown: frozen };
    expect(done(MIDDLE, MIDDLE, over)).toMatchObject({ do: "tell frozen" });
    expect(done(MIDDLE, pointAt(500, 30), over)).toMatchObject({ do: "tell frozen" });
    const made = done(MIDDLE, pointAt(500, 90), over);
    expect(made?.do === "take" && made.step.label).toBe("Copy the frozen audio of c");
  });

  test("from anywhere to anywhere, with any key held, comes to something the session takes", () => {
    const points = fc
      .record({ x: fc.integer({ min: -50, max: 1200 }), y: fc.integer({ min: 0, max: 260 }) })
      .chain(({ x, y }) =>
        fc.record({ free: fc.boolean(), copies: fc.boolean(), shift: fc.boolean() }).map((keys) => pointAt(x, y, keys)),
      );
    const kinds = new Set<string>();
    fc.assert(
      fc.property(points, points, fc.boolean(), (from, to, wasChosen) => {
        const made = done(from, to, { chosen: wasChosen ? [C, { track: "i", clip: "n" }] : [] });
        kinds.add(made?.do ?? "nothing");
        const clips = after(made).tracks.flatMap((t) => t.clips);
        expect(clips.length).toBeGreaterThanOrEqual(2);
        expect(clips.every((c) => c.start >= 0)).toBe(true);
      }),
      { numRuns: 400 },
    );
    expect([...kinds].sort()).toEqual(expect.arrayContaining(["choose", "choose range", "edit", "shape"]));
  });
});

const freeze = (track: Session["tracks"][number], asset: string): Session["tracks"][number] => ({
  ...track,
  frozen: { asset, upTo: null, key: "k", at: "2026-01-01T00:00:00.000Z" } as never,
});
