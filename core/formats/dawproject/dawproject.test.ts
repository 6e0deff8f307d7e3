import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { randomTimelines } from "../../testing/random-timeline";
import { alike } from "../../testing/same-timeline";
import { fit } from "../../timeline/fit";
import type { Timeline } from "../../timeline/timeline";
import { PROJECT_XML, dawprojectCarries, inGroups } from "./facts";
import { readDawproject } from "./read";
import { writeDawproject } from "./write";

/** What the file does not tell of a timeline that it carries. */
const told = (timeline: Timeline): Timeline => ({
  ...timeline,
  media: timeline.media.map((m) => ({ ...m, sha256: null, timeReference: null, name: `file ${m.id.slice(1)}` })),
  tracks: inGroups(timeline.tracks),
});

describe("DAWproject", () => {
  it("what is written is read back, frame for frame", () => {
    fc.assert(
      fc.property(randomTimelines(), (timeline) => {
        const { timeline: written } = fit(timeline, dawprojectCarries);
        // Where there is no audio nothing in the file says how many frames a second has.
        fc.pre(written.media.length > 0 || written.rate === 48000);
        const files = new Map(writeDawproject(written).map((f) => [f.name, new TextDecoder().decode(f.bytes)]));
        const { timeline: read } = readDawproject(files.get(PROJECT_XML) ?? "", written.name, () => null);
        expect(alike(read)).toEqual(alike(told(written)));
      }),
      { numRuns: 200 },
    );
  });
});
