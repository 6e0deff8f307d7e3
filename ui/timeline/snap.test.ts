import { describe, expect, test } from "vitest";
import { clock, session } from "../testing/bench-session";
import { gridTick, snapFrame, snapTargets } from "./snap";
import { nearestCrossing } from "./zero-crossing";

describe("the grid", () => {
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
