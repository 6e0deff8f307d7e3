import { describe, expect, test } from "vitest";
import type { Session } from "../../core/session/document";
import type { Inks } from "../canvas/inks";
import { trackStates } from "../session/track-state";
import { clock, session } from "../testing/bench-session";
import { drawLanes } from "./draw-lanes";
import type { LanesPicture } from "./lanes-picture";

const ROW_PX = 40;
const WIDTH_PX = 800;
/** Every ink by its own name. */
const inks = new Proxy({}, { get: (_, name) => String(name) }) as Inks;

interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  readonly ink: string;
}

/** A canvas that keeps what is filled, framed and written on it. */
function recorder() {
  const filled: Box[] = [];
  const framed: (Box & { readonly dash: readonly number[] })[] = [];
  const texts: string[] = [];
  let dash: readonly number[] = [];
  const state = { fillStyle: "", strokeStyle: "" };
  const calls: Record<string, unknown> = {
    fillRect: (x: number, y: number, width: number, height: number) =>
      void filled.push({ x, y, width, height, ink: state.fillStyle }),
    strokeRect: (x: number, y: number, width: number, height: number) =>
      void framed.push({ x, y, width, height, ink: state.strokeStyle, dash }),
    fillText: (text: string) => void texts.push(text),
    setLineDash: (to: readonly number[]) => void (dash = to),
    restore: () => void (dash = []),
  };
  const canvas = new Proxy(state, {
    get: (of, name) => calls[String(name)] ?? (of as Record<string, unknown>)[String(name)] ?? (() => undefined),
    set: (of, name, to) => Reflect.set(of, name, to),
  });
  return { filled, framed, texts, canvas: canvas as unknown as CanvasRenderingContext2D };
}

/** Only tracks without audio: a wave is drawn from what the server has of it. */
const silent = (of: Session): Session => ({ ...of, tracks: of.tracks.filter((t) => t.kind !== "audio") });
const picture = (of: Session, over: Partial<LanesPicture> = {}): LanesPicture => ({
  ...{ session: of, clock, states: trackStates(of), view: { start: 0, framesPerPixel: 240 } },
  ...{ width: WIDTH_PX, height: 200, rowHeight: ROW_PX, scrollTop: 0, rowsDown: 0 },
  ...{ selected: [], chosen: new Set<string>(), dragged: new Map(), hovered: null, range: null },
  ...over,
});
const drawn = (of: Session, over: Partial<LanesPicture> = {}) => {
  const to = recorder();
  drawLanes(to.canvas, picture(of, over), inks);
  return to;
};
const withNotes = (of: Session): Session => ({
  ...of,
  phrases: of.phrases.map((p) => ({
    ...p,
    notes: [0, 960, 1920].map((tick, i) => ({ tick, ticks: 480, pitch: 60 + 5 * i, velocity: 100 })),
  })),
});

describe("lanes as they are drawn", () => {
  const small = withNotes(silent(session));

  test("each visible row has its ground, and selected ones are washed", () => {
    const { filled } = drawn(small, { selected: ["i"] });
    const grounds = filled.filter((b) => b.width === WIDTH_PX && b.height === ROW_PX);
    expect(grounds.map((b) => [b.y, b.ink])).toEqual([
      [0, "wash"],
      [40, "paper"],
      [80, "shade"],
      [120, "paper"],
    ]);
    const scrolled = drawn(small, { scrollTop: 60, height: 40 }).filled.filter(
      (b) => b.width === WIDTH_PX && b.height === ROW_PX,
    );
    // As far as the canvas reaches, and no further.
    expect(scrolled.slice(0, 2).map((b) => b.y)).toEqual([-20, 20]);
    for (const b of scrolled) expect(b.y).toBeLessThan(80);
  });

  test("notes lie within their row and their clip, the higher the pitch the higher", () => {
    const notes = drawn(small).filled.filter((b) => b.ink === "ink");
    expect(notes.length).toBe(3);
    for (const n of notes) {
      expect(n.y).toBeGreaterThan(0);
      expect(n.y + n.height).toBeLessThan(ROW_PX);
    }
    expect([...notes].sort((a, b) => b.y - a.y).map((n) => n.x)).toEqual(notes.map((n) => n.x));
  });

  test("states are told apart by their frames, and what is muted by a line through it", () => {
    const changed = (patch: object): Session => ({
      ...small,
      tracks: small.tracks.map((t) => (t.id === "i" ? { ...t, ...patch } : t)),
    });
    expect(drawn(small).framed.map((f) => f.dash)).toEqual([[]]);
    expect(drawn(changed({ parked: true })).framed.map((f) => f.dash)).toEqual([[4, 3]]);
    const muted = changed({ clips: small.tracks[0]!.clips.map((c) => ({ ...c, muted: true })) });
    const line = drawn(muted).filled.find((b) => b.height === 1 && b.ink === "soft");
    expect(line?.y).toBe(ROW_PX / 2);
    expect(drawn(small, { chosen: new Set(["n"]) }).framed[0]?.ink).toBe("spot");
  });

  test("groups say how many paths they sum, returns how many sends feed them", () => {
    const { texts } = drawn(session, { session: silent(session) });
    expect(texts).toEqual(
      expect.arrayContaining([expect.stringMatching(/^sums \d/), expect.stringMatching(/^fed by \d/)]),
    );
  });
});
