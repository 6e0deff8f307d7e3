import fc from "fast-check";
import { expect, test } from "vitest";
import { randomSessions } from "../testing/random-session";
import type { Session, Track } from "./document";
import {
  feeds,
  groupsAbove,
  keyedBy,
  membersOf,
  onward,
  routedInto,
  sentInto,
  sentOn,
  summedIn,
  within,
} from "./routing";

/** The same said the plain way: by looking at every track for every question. */
const plainly = {
  feeds: (s: Session, track: Track) =>
    s.tracks.filter(
      (t) =>
        t.output === track.id ||
        t.sends.some((x) => x.to === track.id) ||
        (!track.frozen && track.devices.some((d) => d.key === t.id)),
    ),
  within: (s: Session, id: string): readonly Track[] =>
    s.tracks.filter((t) => t.output === id).flatMap((t) => [t, ...plainly.within(s, t.id)]),
};
const ids = (tracks: readonly Track[]) => tracks.map((t) => t.id);

test("what is asked of the arrows is what a look at every track says", () => {
  fc.assert(
    fc.property(randomSessions(), (s) => {
      for (const track of s.tracks) {
        expect(ids(feeds(s, track)).sort()).toEqual(ids(plainly.feeds(s, track)).sort());
        expect(ids(within(s, track.id))).toEqual(ids(plainly.within(s, track.id)));
        expect(ids(routedInto(s, track.id))).toEqual(ids(s.tracks.filter((t) => t.output === track.id)));
        expect(ids(keyedBy(s, track.id))).toEqual(
          ids(s.tracks.filter((t) => t.devices.some((d) => d.key === track.id))),
        );
        expect(sentInto(s, track.id).map((x) => x.send)).toEqual(
          s.tracks.flatMap((t) => t.sends.filter((x) => x.to === track.id)),
        );
        // Summed in the order of the session, each once, however often it sends there.
        const summed = s.tracks.filter((t) => t.output === track.id || t.sends.some((x) => x.to === track.id));
        expect(ids(summedIn(s, track.id))).toEqual(ids(summed));
        const way = onward(s, track);
        if (track.kind !== "mix") expect([way[0]?.id, way.at(-1)?.kind]).toEqual([track.output, "mix"]);
        expect(groupsAbove(s, track)).toEqual(way.slice(0, -1));
        for (const group of groupsAbove(s, track)) expect(ids(within(s, group.id))).toContain(track.id);
      }
    }),
    { numRuns: 100 },
  );
});

test("what rests, and what runs into it, is no member; sends are followed through returns, round no circle twice", () => {
  fc.assert(
    fc.property(randomSessions(), (s) => {
      for (const group of s.tracks.filter((t) => t.kind === "group" || t.kind === "mix")) {
        const rests = (t: Track) => t.parked || groupsAbove(s, t).some((g) => g.parked && isBelow(s, g, group));
        expect(ids(membersOf(s, group))).toEqual(ids(within(s, group.id).filter((t) => !rests(t))));
      }
      const sources = s.tracks.filter((t) => t.kind !== "return");
      const reached = sentOn(s, sources, (t) => t.sends);
      const returns = s.tracks.filter(
        (r) => r.kind === "return" && sentInto(s, r.id).some((x) => x.track.kind !== "return"),
      );
      for (const r of returns) expect(ids(reached)).toContain(r.id);
      expect(new Set(ids(reached)).size).toBe(reached.length);
    }),
    { numRuns: 60 },
  );
});

const isBelow = (s: Session, track: Track, group: Track) => onward(s, track).some((t) => t.id === group.id);
