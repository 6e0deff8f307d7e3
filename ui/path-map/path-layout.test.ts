import { describe, expect, test } from "vitest";
import { makeDevice } from "../../core/session/build";
import { ownInstrument } from "../../core/testing/own-instrument";
import { session } from "../testing/bench-session";
import { MAP_WIDTH, rowHeightFor } from "../timeline/view";
import { COLUMN, isSeen, layoutPaths, rowHeights } from "./path-layout";

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

  test("a line is drawn wherever it passes rows that are seen", () => {
    const heightOf = (d: string) => {
      // Every line begins absolutely; what follows are steps, and verticals to a height.
      const start = Number(/^M[\d.]+ ([\d.]+)/.exec(d)?.[1]);
      const levels = [start, ...[...d.matchAll(/V([\d.]+)/g)].map((m) => Number(m[1]))];
      return [Math.min(...levels), Math.max(...levels)] as const;
    };
    for (let first = 0; first < 5; first++)
      for (const line of [...layout.upTo, ...layout.after, ...layout.spurs]) {
        const [top, bottom] = heightOf(line.d);
        const passes = bottom > first * 40 && top < (first + 2) * 40;
        if (passes) expect(isSeen(line, { first, end: first + 2 })).toBe(true);
      }
    expect(layout.upTo.filter((line) => isSeen(line, { first: 1, end: 2 })).length).toBe(1);
  });

  test("a device that plays an instrument is called after it, and never widens beyond its room", () => {
    const called = (name: string) => {
      const tracks = session.tracks.map((t, i) =>
        i === 1 ? { ...t, devices: [{ ...makeDevice("own", "sampled"), instrument: "own" }] } : t,
      );
      const instruments = [{ ...ownInstrument, id: "own", name }];
      return layoutPaths({ ...session, tracks, instruments }, rowHeights(40)).rows[1]!.beads[0]!;
    };
    expect(called("Nylon").label).toBe("Nylon");
    expect(called("N".repeat(200)).width).toBe(120);
  });

  test("sixteen rows fit the Bench at 800 pixels while nothing is selected", () => {
    // What strip, ruler, first steps and foot leave of 800.
    expect(16 * rowHeightFor(16, 628)).toBeLessThanOrEqual(628);
    expect(rowHeightFor(200, 628)).toBe(38);
  });
});
