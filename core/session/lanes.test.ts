import fc from "fast-check";
import { expect, test } from "vitest";
import { randomSessions } from "../testing/random-session";
import { applyStep } from "./edits";
import { addLane, lanePosition, laneTargets, laneValue, sameTarget, withPoint } from "./lanes";

test("everything that can be automated takes a lane, with any value its drawing can give, and no two lanes share a target", () => {
  let lanes = 0;
  fc.assert(
    fc.property(randomSessions(), fc.integer({ min: 0, max: 100 }), (session, percent) => {
      for (const track of session.tracks) {
        const targets = laneTargets(session, track);
        targets.forEach((t, i) => targets.forEach((u, k) => expect(sameTarget(t, u)).toBe(i === k)));
        for (const lane of track.automation) expect(targets.some((t) => sameTarget(t, lane))).toBe(true);
        for (const target of targets) {
          if (track.automation.some((a) => sameTarget(a, target))) continue;
          const [edit] = addLane(track, { ...target, now: laneValue(target, percent / 100) }, () => "lane");
          const done = applyStep(session, { label: "", edits: [edit!] });
          expect(done.ok ? "" : `${target.name}: ${done.problems[0]?.what}`).toBe("");
          lanes++;
        }
      }
    }),
    { numRuns: 15 },
  );
  expect(lanes).toBeGreaterThan(100);
});

test("a drawing gives back the value it shows, to the rounding of the control", () => {
  fc.assert(
    fc.property(randomSessions(), fc.integer({ min: 0, max: 100 }), (session, percent) => {
      for (const target of session.tracks.flatMap((t) => laneTargets(session, t))) {
        const value = laneValue(target, percent / 100);
        expect(laneValue(target, lanePosition(target, value))).toBeCloseTo(value, 6);
        expect(lanePosition(target, value)).toBeGreaterThanOrEqual(0);
        expect(lanePosition(target, value)).toBeLessThanOrEqual(1 + 1e-9);
      }
    }),
    { numRuns: 15 },
  );
});

test("points rise, whatever is moved where", () => {
  const point = fc.record({
    tick: fc.nat(20),
    value: fc.integer({ min: -5, max: 5 }),
    shape: fc.constant("linear" as const),
    bend: fc.constant(0),
  });
  fc.assert(
    fc.property(fc.array(point, { maxLength: 12 }), (list) => {
      let points: ReturnType<typeof withPoint> = [];
      for (const p of list) points = withPoint(points, p, points[0] ?? null);
      points.forEach((p, i) => {
        if (i > 0) expect(p.tick).toBeGreaterThan(points[i - 1]!.tick);
      });
      if (list.length > 0) expect(points).toContain(list.at(-1));
    }),
  );
});
