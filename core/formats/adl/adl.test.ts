import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { randomTimelines } from "../../testing/random-timeline";
import { alike } from "../../testing/same-timeline";
import { fit } from "../../timeline/fit";
import type { Timeline } from "../../timeline/timeline";
import { adlCarries } from "./facts";
import { readAdl } from "./read";
import { adlText, writeAdl } from "./write";

/** What the list does not tell of a timeline that it carries. */
const told = (timeline: Timeline): Timeline => ({
  ...timeline,
  name: adlText(timeline.name),
  media: timeline.media.map((m) => ({
    ...m,
    sha256: null,
    name: adlText(m.name),
    timeReference: m.timeReference ?? 0,
  })),
  tracks: timeline.tracks.map((t) => ({
    ...t,
    name: adlText(t.name),
    clips: t.clips.map((c) => ({ ...c, name: adlText(c.name) || adlText(nameOf(timeline, c.media)) })),
  })),
});
const nameOf = (timeline: Timeline, id: string) => timeline.media.find((m) => m.id === id)?.name ?? "";

describe("audio decision lists", () => {
  it("what is written is read back, frame for frame", () => {
    fc.assert(
      fc.property(randomTimelines(), (timeline) => {
        const { timeline: written } = fit(timeline, adlCarries);
        const { timeline: read } = readAdl(writeAdl(written, "test"));
        expect(alike(read)).toEqual(alike(told(written)));
      }),
      { numRuns: 200 },
    );
  });
});
