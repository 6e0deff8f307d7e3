import { describe, expect, test } from "vitest";
import { makeAudioClip, makeNest } from "./build";
import { nestAt, withChildren } from "./inside-nest";

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
