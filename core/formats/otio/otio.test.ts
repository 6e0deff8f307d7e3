import fc from "fast-check";
import { describe, expect, it, test } from "vitest";
import { emptyTimeline, plainTrack } from "../../timeline/timeline";
import { randomTimelines } from "../../testing/random-timeline";
import { alike } from "../../testing/same-timeline";
import { fit } from "../../timeline/fit";
import { otioCarries } from "./facts";
import { readOtio } from "./read";
import { writeOtio } from "./write";

describe("OpenTimelineIO", () => {
  it("what is written is read back, frame for frame", () => {
    fc.assert(
      fc.property(randomTimelines(), (timeline) => {
        const { timeline: written } = fit(timeline, otioCarries);
        const { timeline: read } = readOtio(writeOtio(written));
        expect(alike(read)).toEqual(alike(written));
      }),
      { numRuns: 200 },
    );
  });
});

test("a pan that is in levels comes back; one that no pan has is ignored", () => {
  const panOf = (panInLevels: number) => {
    const track = plainTrack({ id: "t", name: "Vox L", kind: "audio", channels: 1, pan: -1, panInLevels });
    return readOtio(writeOtio({ ...emptyTimeline("x", 48000), tracks: [track] })).timeline.tracks[0]?.panInLevels;
  };
  expect([panOf(0.5), panOf(-1), panOf(8), panOf(1e300)]).toEqual([0.5, -1, undefined, undefined]);
});
