import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { hashOf } from "../testing/listen";
import { TimeMap, centsAt, stretchedFrames } from "./bend";
import { holdTime, holdTimes, moveMark, reversed, withPitch } from "./bend-edits";
import { makeAudioClip } from "./build";

const AUDIO = 96_000;
const clipOf = (stretch: number, offset: number, frames: number) =>
  makeAudioClip({ id: "c", asset: hashOf(1), start: 1000, stretch, offset, frames });
/** A clip with marks that hands have set and moved. */
const bentClip = fc
  .record({
    stretch: fc.double({ min: 0.5, max: 2, noNaN: true }),
    marks: fc.array(fc.tuple(fc.double({ min: 0, max: 1, noNaN: true }), fc.integer({ min: -20000, max: 20000 })), {
      minLength: 1,
      maxLength: 8,
    }),
  })
  .map(({ stretch, marks }) => {
    const all = Math.round(AUDIO * stretch);
    let clip = clipOf(stretch, Math.floor(all / 10), Math.floor(all / 2));
    for (const [at] of marks)
      clip = { ...clip, timeMarks: [...holdTimes(clip, AUDIO, [Math.floor(at * clip.frames)], 48000)] };
    for (const [i, [, by]] of marks.entries()) {
      const mark = clip.timeMarks[i];
      if (mark) clip = { ...clip, ...moveMark(clip, AUDIO, i, mark.to + by) };
    }
    return clip;
  });

describe("time that is bent inside of a clip", () => {
  test("goes there and back, rises everywhere, and meets every mark", () => {
    fc.assert(
      fc.property(bentClip, fc.array(fc.integer({ min: 0, max: AUDIO }), { maxLength: 30 }), (clip, places) => {
        const map = new TimeMap(AUDIO, clip);
        for (const m of clip.timeMarks) expect([map.toStretched(m.at), map.toRecording(m.to)]).toEqual([m.to, m.at]);
        const sorted = [...new Set(places)].sort((a, b) => a - b);
        for (const [i, at] of sorted.entries()) {
          expect(map.toRecording(map.toStretched(at))).toBeCloseTo(at, 5);
          if (i > 0) expect(map.toStretched(at)).toBeGreaterThan(map.toStretched(sorted[i - 1]!));
        }
        expect(map.toStretched(AUDIO)).toBe(stretchedFrames(AUDIO, clip));
      }),
    );
  });

  test("a mark that is set moves nothing; one that is moved leaves everything beyond its neighbours where it was", () => {
    fc.assert(
      fc.property(bentClip, fc.double({ min: 0.01, max: 0.99, noNaN: true }), fc.integer(), (clip, where, by) => {
        const into = Math.floor(where * clip.frames);
        const before = new TimeMap(AUDIO, clip);
        const held = holdTime(clip, AUDIO, into, 48000);
        if (!held.ok) return;
        const set = { ...clip, timeMarks: [...held.value] };
        const after = new TimeMap(AUDIO, set);
        for (let at = 0; at <= AUDIO; at += 4000)
          expect(Math.abs(after.toStretched(at) - before.toStretched(at))).toBeLessThan(4.1);
        const index = set.timeMarks.findIndex((m) => m.to === clip.offset + into);
        const moved = { ...set, ...moveMark(set, AUDIO, index, (set.timeMarks[index]?.to ?? 0) + (by % 30000)) };
        const map = new TimeMap(AUDIO, moved);
        const [low, high] = [set.timeMarks[index - 1]?.at ?? 0, set.timeMarks[index + 1]?.at ?? AUDIO];
        for (let at = 0; at <= AUDIO; at += 4000)
          if (at <= low || (at >= high && set.timeMarks[index + 1]))
            expect(map.toStretched(at)).toBeCloseTo(after.toStretched(at), 6);
        expect(moved.offset + moved.frames).toBeLessThanOrEqual(map.frames);
      }),
    );
  });

  test("backwards it is the same the other way round, and twice backwards as it was", () => {
    fc.assert(
      fc.property(bentClip, (clip) => {
        const back = { ...clip, ...reversed(clip, AUDIO) };
        const [there, here] = [new TimeMap(AUDIO, clip), new TimeMap(AUDIO, back)];
        expect(here.frames).toBe(there.frames);
        for (let at = 0; at <= AUDIO; at += 3000)
          expect(here.toStretched(AUDIO - at)).toBeCloseTo(there.frames - there.toStretched(at), 6);
        const again = { ...back, ...reversed(back, AUDIO) };
        expect([again.offset, again.reverse]).toEqual([clip.offset, clip.reverse]);
        for (let at = 0; at <= AUDIO; at += 3000)
          expect(new TimeMap(AUDIO, again).toStretched(at)).toBeCloseTo(there.toStretched(at), 6);
      }),
    );
  });

  test("a line of pitch is straight between its points and level beyond them", () => {
    const line = withPitch(withPitch([], 1000, 200), 3000, -200);
    expect([0, 1000, 1500, 2000, 3000, 9000].map((at) => centsAt(line, at))).toEqual([200, 200, 100, 0, -200, -200]);
    expect(centsAt([], 5)).toBe(0);
    expect(withPitch(line, 1000, 9999)[0]).toEqual({ at: 1000, cents: 2400 });
  });
});
