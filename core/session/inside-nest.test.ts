import { describe, expect, test } from "vitest";
import { tempoMap } from "../time/tempo";
import { makeAudioClip, makeNest, makeTrack } from "./build";
import { splitClip } from "./clip-edits";
import { childrenAfter, nestAt, trackInside, withChildren } from "./inside-nest";

const clip = makeAudioClip({ id: "c", asset: "a".repeat(64), start: 300, frames: 1000 });
const inner = makeNest({ id: "inner", start: 2000, offset: 500, frames: 4000, children: [clip] });
const top = makeNest({
  id: "top",
  start: 10_000,
  offset: 1000,
  frames: 8000,
  children: [inner, { ...clip, id: "beside" }],
});

describe("inside a nest", () => {
  test("the path leads to a nest and tells where its zero stands on the timeline", () => {
    expect(nestAt(top, [])).toEqual({ nest: top, shift: 9000 });
    // A child at 300 of the inner nest's time sounds at 9000 + 2000 - 500 + 300.
    expect(nestAt(top, ["inner"])).toEqual({ nest: inner, shift: 10_500 });
    expect([nestAt(top, ["beside"]), nestAt(top, ["gone"])]).toEqual([null, null]);
  });

  test("what is changed at the end of a path changes nothing beside it", () => {
    const moved = { ...clip, start: 400 };
    expect(withChildren(top, ["inner"], [moved])).toEqual([{ ...inner, children: [moved] }, top.children[1]]);
    expect(withChildren(top, [], [moved])).toEqual([moved]);
  });
});

test("what is done to the clips of the track inside is done to the nest's children, in its own time", () => {
  const asset = "a".repeat(64);
  const own = makeAudioClip({ id: "c", asset, start: 1000, frames: 8000 });
  const nest = makeNest({ id: "n", start: 50_000, offset: 500, frames: 9000, children: [own] });
  const track = makeTrack({ id: "t", name: "T", kind: "audio", clips: [nest] });
  const shift = nest.start - nest.offset;
  const inside = trackInside(track, nest, shift);
  expect(inside.clips.map((c) => c.start)).toEqual([50_500]);
  const made = splitClip(
    inside,
    inside.clips[0]!,
    53_500,
    tempoMap([{ tick: 0, bpm: 120, shape: "hold" }], 48000),
    "d",
  );
  if (!made.ok) throw new Error(made.problems[0]?.what);
  expect(childrenAfter(nest, shift, made.value).map((c) => [c.id, c.start, c.frames])).toEqual([
    ["c", 1000, 3000],
    ["d", 4000, 5000],
  ]);
  const gone = childrenAfter(nest, shift, [{ do: "remove", in: "clips", track: "t", id: "c" }]);
  expect(gone).toEqual([]);
});
