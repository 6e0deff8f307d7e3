import fc from "fast-check";
import { describe, expect, it } from "vitest";
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
