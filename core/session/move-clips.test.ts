import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { MIX_OUT, differenceDb, listen } from "../testing/listen";
import { randomSessions, recordings } from "../testing/random-session";
import { tempoMap } from "../time/tempo";
import { crossfade, cutAround } from "./clip-edits";
import { clipSpan } from "./clips";
import type { Session } from "./document";
import type { Edit } from "./edits";
import { applyStep } from "./edits";
import { clipsOf, clipsWithin, moveClips } from "./move-clips";
import { share } from "../../tests/setup/share";

function applied(session: Session, edits: readonly Edit[]): Session {
  if (edits.length === 0) return session;
  const made = applyStep(session, { label: "Edit", edits: [...edits] });
  if (!made.ok) throw new Error(made.problems.map((p) => `${p.where}: ${p.what}`).join("; "));
  const back = applyStep(made.value.session, made.value.inverse);
  expect(back.ok && back.value.session).toEqual(session);
  return made.value.session;
}

const all = (session: Session) => session.tracks.flatMap((t) => t.clips.map((c) => ({ track: t.id, clip: c.id })));
const counter = () => {
  let n = 0;
  return () => `new-${n++}`;
};

describe("clips move together", () => {
  test("all by the same time, held at the beginning; none is lost; over rows only where every row takes its clip", () => {
    fc.assert(
      fc.property(
        randomSessions(),
        fc.integer({ min: -60_000, max: 60_000 }),
        fc.integer({ min: -2, max: 2 }),
        fc.nat(),
        (session, by, rows, pick) => {
          const tempo = tempoMap(session.tempo, session.rate);
          const refs = all(session).filter((_, i) => (pick >> (i % 20)) % 2 === 0);
          const made = moveClips(session, refs, by, rows, tempo);
          const after = applied(session, made.edits);
          expect(all(after).length).toBe(all(session).length);
          const before = clipsOf(session, refs);
          const moved = clipsOf(after, made.refs);
          expect(moved.length).toBe(refs.length);
          const shifts = moved.map(({ clip }, i) => clipSpan(clip, tempo).from - clipSpan(before[i]!.clip, tempo).from);
          const audio = shifts.filter((_, i) => before[i]!.clip.kind !== "notes");
          expect(new Set(audio).size).toBeLessThanOrEqual(1);
          // Notes go to ticks: at these tempos one tick is at most 34 frames.
          if (audio.length > 0) for (const s of shifts) expect(Math.abs(s - audio[0]!)).toBeLessThanOrEqual(35);
          const across = new Set(
            moved.map(({ track }, i) => after.tracks.indexOf(track) - session.tracks.indexOf(before[i]!.track)),
          );
          expect(across.size).toBeLessThanOrEqual(1);
          moved.forEach(({ track, clip }) => expect(track.kind).toBe(clip.kind === "notes" ? "instrument" : "audio"));
        },
      ),
      { numRuns: share(80) },
    );
  });

  test("the clips of a range are those that lie in it, also in part", () => {
    fc.assert(
      fc.property(randomSessions(), fc.nat(60_000), fc.integer({ min: 1, max: 60_000 }), (session, from, length) => {
        const tempo = tempoMap(session.tempo, session.rate);
        const tracks = new Set(session.tracks.slice(0, 2).map((t) => t.id));
        const within = new Set(clipsWithin(session, tracks, from, from + length, tempo).map((r) => r.clip));
        for (const track of session.tracks)
          for (const clip of track.clips) {
            const span = clipSpan(clip, tempo);
            expect(within.has(clip.id)).toBe(tracks.has(track.id) && span.from < from + length && span.to > from);
          }
      }),
      { numRuns: 40 },
    );
  });
});

describe("a stretch is cut out", () => {
  test("cutting at both its ends is not heard, and the pieces inside lie inside", () => {
    fc.assert(
      fc.property(
        randomSessions(),
        fc.integer({ min: 0, max: 30_000 }),
        fc.integer({ min: 2000, max: 30_000 }),
        (session, from, length) => {
          const tempo = tempoMap(session.tempo, session.rate);
          // What has effects of its own begins anew at a cut, and notes end at it.
          const tracks = session.tracks.filter(
            (t) => t.kind === "audio" && t.clips.every((c) => c.kind !== "audio" || c.process.length === 0),
          );
          fc.pre(tracks.length > 0);
          const { edits, inside } = cutAround(tracks, from, from + length, tempo, counter());
          const after = applied(session, edits);
          for (const { clip } of clipsOf(after, inside)) {
            const span = clipSpan(clip, tempo);
            expect(span.from >= from && span.to <= from + length).toBe(true);
          }
          const [a, b] = [session, after].map(
            (s) => listen(s, [MIX_OUT], { library: recordings, to: 60_000, tail: "none" })[0]!,
          );
          expect(differenceDb(a!, b!)).toBe(-Infinity);
        },
      ),
      { numRuns: 25 },
    );
  });
});

describe("a crossfade", () => {
  test("is legal wherever it is made, and runs from the later clip's beginning to the earlier one's end", () => {
    let made = 0;
    fc.assert(
      fc.property(randomSessions(), fc.integer({ min: 2, max: 3000 }), fc.nat(), (session, length, pick) => {
        const track = session.tracks.filter((t) => t.kind === "audio" && t.clips.length > 0)[0];
        fc.pre(track !== undefined);
        const clip = track!.clips[pick % track!.clips.length]!;
        const result = crossfade(session, track!, clip, length);
        if (!result.ok) return;
        made++;
        const after = applied(session, result.value).tracks.find((t) => t.id === track!.id)!;
        const late = after.clips.find((c) => c.id === clip.id)!;
        const early = after.clips.find(
          (c) =>
            c.kind !== "notes" &&
            c.id !== clip.id &&
            c.fadeOut.frames > 0 &&
            late.kind !== "notes" &&
            c.start + c.frames === late.start + late.fadeIn.frames,
        );
        expect(late.kind !== "notes" && late.crossfade && early !== undefined).toBe(true);
      }),
      { numRuns: 120 },
    );
    expect(made).toBeGreaterThan(5);
  });
});
