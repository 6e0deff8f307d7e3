import fc from "fast-check";
import { expect, test } from "vitest";
import { playedNotes } from "../engine/source";
import { sessionEnd } from "../engine/render";
import { MIX_OUT, differenceDb, listen } from "../testing/listen";
import { randomSessions, recordings } from "../testing/random-session";
import { tempoMap } from "../time/tempo";
import { makeAudioClip, makeSession, makeTrack } from "./build";
import type { Session } from "./document";
import { applyStep } from "./edits";
import { moveSession } from "./move-session";

const movedBy = (session: Session, bars: number): Session | string => {
  const made = moveSession(session, bars);
  if (!made.ok) return made.problems[0]?.what ?? "";
  const applied = applyStep(session, { label: "Move everything", edits: [...made.value] });
  if (!applied.ok) throw new Error(JSON.stringify(applied.problems));
  return applied.value.session;
};

test("moved later by bars and earlier again, a session is what it was; undone, too", () => {
  fc.assert(
    fc.property(randomSessions(), fc.integer({ min: 1, max: 9 }), (session, bars) => {
      const live = { ...session, tracks: session.tracks.map((t) => ({ ...t, frozen: null })) };
      const there = movedBy(live, bars) as Session;
      expect(there.tracks.every((t) => t.clips.every((c) => c.start > 0))).toBe(true);
      expect(movedBy(there, -bars)).toEqual(live);
      const made = moveSession(live, bars);
      const applied = made.ok ? applyStep(live, { label: "", edits: [...made.value] }) : null;
      const back = applied?.ok ? applyStep(applied.value.session, applied.value.inverse) : null;
      expect(back?.ok && back.value.session).toEqual(live);
    }),
    { numRuns: 60 },
  );
});

test("what is heard of audio is heard so many bars later, and every note is played as much later", () => {
  let heard = 0;
  fc.assert(
    fc.property(randomSessions({ above: "linkable" }), fc.integer({ min: 1, max: 3 }), (random, bars) => {
      // A bar of two seconds: whole quanta at every rate, so that everything lands on a frame.
      const session: Session = {
        ...random,
        tempo: [{ tick: 0, bpm: 120, shape: "hold" }],
        tracks: random.tracks.map((t) => ({
          ...t,
          frozen: null,
          // Voices drift by themselves, and start otherwise at every place.
          devices: t.kind === "instrument" ? t.devices.slice(0, 1).map((d) => ({ ...d, on: false })) : [],
          automation: t.automation.filter((a) => a.target !== "param"),
        })),
      };
      const shifted = movedBy(session, bars) as Session;
      const by = tempoMap(session.tempo, session.rate).toFrames(bars * 3840);
      for (const [i, track] of session.tracks.entries()) {
        const notes = (s: Session) => playedNotes(s, s.tracks[i] ?? track, tempoMap(s.tempo, s.rate));
        expect(notes(shifted)).toEqual(notes(session).map((n) => ({ ...n, start: n.start + by })));
      }
      const to = sessionEnd(session) + 4800;
      const [a] = listen(session, [MIX_OUT], { library: recordings, to, tail: "none" });
      const [b] = listen(shifted, [MIX_OUT], { library: recordings, to: to + by, tail: "none" });
      if (!a || !b) throw new Error("nothing was rendered");
      const cut = { left: b.left.subarray(by, by + a.left.length), right: b.right.subarray(by, by + a.right.length) };
      if (a.left.some((v) => v !== 0)) heard++;
      expect(differenceDb(a, cut)).toBeLessThanOrEqual(-120);
    }),
    { numRuns: 30 },
  );
  expect(heard).toBeGreaterThan(6);
}, 120_000);

test("earlier is refused where something stands in the bars that would go, and says what", () => {
  const session = makeSession({
    tempo: [
      { tick: 0, bpm: 120, shape: "hold" },
      { tick: 7680, bpm: 90, shape: "hold" },
    ],
    markers: [{ id: "m", name: "Here", tick: 9000 }],
    tracks: [
      makeTrack({
        id: "a",
        name: "Rope",
        kind: "audio",
        clips: [makeAudioClip({ id: "c", asset: "0".repeat(64), start: 200_000, frames: 100 })],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
  expect(movedBy(session, -3)).toBe("a clip stands in the bars that would go");
  const empty = { ...session, tracks: session.tracks.map((t) => ({ ...t, clips: [] })) };
  expect(movedBy(empty, -3)).toBe("it changes in the bars that would go");
  expect(movedBy({ ...empty, tempo: empty.tempo.slice(0, 1) }, -3)).toBe(
    "a marker or a saved range stands in the bars that would go",
  );
  expect(movedBy(empty, -2)).toMatchObject({ tempo: [{ tick: 0, bpm: 90 }], markers: [{ tick: 9000 - 7680 }] });
});
