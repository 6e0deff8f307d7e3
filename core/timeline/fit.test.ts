import { expect, test } from "vitest";
import { aafCarries } from "../formats/aaf/facts";
import { dawprojectCarries } from "../formats/dawproject/facts";
import { fit } from "./fit";
import type { TimelineLane } from "./timeline";
import { emptyTimeline, plainTrack } from "./timeline";

test("automation that comes near to what it was is not called kept, and says how near", () => {
  const points = [
    { frame: 0, value: 0, shape: "linear" as const },
    { frame: 48000, value: -1, shape: "linear" as const },
  ];
  const lane = (target: TimelineLane["target"], isCurved: boolean): TimelineLane =>
    isCurved ? { target, send: null, points, isCurved } : { target, send: null, points };
  const fateOf = (carries: Parameters<typeof fit>[1], one: TimelineLane) => {
    const track = plainTrack({ id: "t", name: "T", kind: "audio", channels: 1, lanes: [one] });
    const { losses, timeline } = fit({ ...emptyTimeline("x", 48000), tracks: [track] }, carries);
    expect(timeline.tracks[0]?.lanes[0]).not.toHaveProperty("isCurved");
    return losses.filter((l) => l.part === "automation").map((l) => l.fate);
  };
  expect(fateOf(dawprojectCarries, lane("fader", false))).toEqual(["kept"]);
  expect(fateOf(dawprojectCarries, lane("fader", true))).toEqual(["approximated"]);
  expect(fateOf(dawprojectCarries, lane("pan", true))).toEqual(["approximated"]);
  expect(fateOf(dawprojectCarries, lane("pan", false))).toEqual(["kept"]);
  expect(fateOf(aafCarries, lane("pan", false))).toEqual(["kept"]);
});
