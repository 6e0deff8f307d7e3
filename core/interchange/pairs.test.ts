import fc from "fast-check";
import { expect, test } from "vitest";
import type { Timeline, TimelineTrack } from "../timeline/timeline";
import { NO_FADE, emptyTimeline, plainTrack } from "../timeline/timeline";
import { joinPairs, splitPairs } from "./pairs";

const medium = (id: string) => ({
  ...{ id, name: id, frames: 1000, rate: 48000, channels: 1, sha256: null, timeReference: null, path: `${id}.wav` },
});
const clip = { start: 0, frames: 1000, offset: 0, gainDb: 0, channel: null, crossfade: false };
const side = (name: "L" | "R", more: Partial<TimelineTrack>): TimelineTrack =>
  plainTrack({
    ...{ id: name, name: `Vox ${name}`, kind: "audio", channels: 1, pan: name === "L" ? -1 : 1 },
    clips: [{ ...clip, name: `Vox ${name}`, media: name, fadeIn: NO_FADE, fadeOut: NO_FADE }],
    ...more,
  });
const pairOf = (left: Partial<TimelineTrack>, right: Partial<TimelineTrack>): Timeline => ({
  ...emptyTimeline("x", 48000),
  media: [medium("L"), medium("R")],
  tracks: [side("L", left), side("R", right)],
});

const decibels = fc.integer({ min: -60_00, max: 12_00 }).map((v) => v / 100);
const lanes = fc
  .array(decibels, { maxLength: 4 })
  .map((values): TimelineTrack["lanes"] =>
    values.length === 0
      ? []
      : [{ target: "fader", send: null, points: values.map((value, i) => ({ frame: i * 9, value, shape: "linear" })) }],
  );

test("a pan that went into the levels of two sides comes back, and goes into them again", () => {
  fc.assert(
    fc.property(decibels, lanes, fc.integer({ min: -100, max: 100 }), (faderDb, moves, hundredths) => {
      const pan = hundredths / 100;
      const equal = joinPairs(pairOf({ faderDb, lanes: moves }, { faderDb, lanes: moves }));
      expect(equal.timeline.tracks).toMatchObject([{ name: "Vox", channels: 2, pan: 0, faderDb, lanes: moves }]);
      const panned = { ...equal.timeline, tracks: equal.timeline.tracks.map((t) => ({ ...t, pan })) };
      const apart = splitPairs(panned, equal.pairs);
      expect(apart.tracks.map((t) => t.pan)).toEqual([-1, 1]);
      const [left, right] = apart.tracks.map(({ faderDb: db, lanes: own }) => ({ faderDb: db, lanes: own }));
      // Levels alone do not say that they are a pan.
      const plain = joinPairs(pairOf({ ...left }, { ...right })).timeline.tracks;
      expect(plain).toHaveLength(pan === 0 ? 1 : 2);
      const told = joinPairs(pairOf({ ...left, panInLevels: pan }, { ...right, panInLevels: pan })).timeline.tracks;
      expect(told).toHaveLength(1);
      expect(told[0]?.pan).toBe(pan);
      expect(told[0]?.faderDb).toBeCloseTo(faderDb, 3);
      expect(told[0]).not.toHaveProperty("panInLevels");
      moves[0]?.points.forEach((p, i) => expect(told[0]?.lanes[0]?.points[i]?.value).toBeCloseTo(p.value, 3));
    }),
    { numRuns: 200 },
  );
});
