import fc from "fast-check";
import { expect, test } from "vitest";
import { MIX_OUT, differenceDb, listen } from "../testing/listen";
import { randomSessions, recordings } from "../testing/random-session";
import { tempoMap } from "../time/tempo";
import { clipSpan } from "./clips";
import { placeCopy, splitClip } from "./clip-edits";
import type { Session } from "./document";
import type { Edit } from "./edits";
import { applyStep } from "./edits";
import type { Checked } from "./problem";

const applied = (session: Session, edits: Checked<readonly Edit[]>): Session => {
  if (!edits.ok) throw new Error(edits.problems[0]?.what);
  const made = applyStep(session, { label: "Edit", edits: [...edits.value] });
  if (!made.ok) throw new Error(made.problems[0]?.what);
  return made.value.session;
};

test("a clip of audio that is cut in two sounds as before, wherever a cut is allowed", () => {
  let cuts = 0;
  fc.assert(
    fc.property(randomSessions(), fc.nat(), fc.integer({ min: -10, max: 110 }), (s, n, percent) => {
      const tempo = tempoMap(s.tempo, s.rate);
      const audio = s.tracks.flatMap((track) =>
        track.clips
          .filter((c) => c.kind !== "notes" && !(c.kind === "audio" && c.process.length > 0))
          .map((clip) => ({ track, clip })),
      );
      const chosen = audio[n % Math.max(1, audio.length)];
      if (!chosen) return;
      const { from, to } = clipSpan(chosen.clip, tempo);
      const at = Math.round(from + (percent / 100) * (to - from));
      const made = splitClip(chosen.track, chosen.clip, at, tempo, "piece");
      if (!made.ok) return;
      cuts++;
      const cut = applied(s, made);
      expect(cut.tracks.flatMap((t) => t.clips).length).toBe(s.tracks.flatMap((t) => t.clips).length + 1);
      const [before, after] = [s, cut].map(
        (x) => listen(x, [MIX_OUT], { library: recordings, to: 50_000, tail: "none" })[0]!,
      );
      expect(differenceDb(before!, after!)).toBe(-Infinity);
    }),
    { numRuns: 70, seed: 5 },
  );
  expect(cuts).toBeGreaterThan(5);
});

test("cut notes are the same notes but for those that the cut ends", () => {
  fc.assert(
    fc.property(randomSessions(), fc.integer({ min: 5, max: 95 }), (s, percent) => {
      const tempo = tempoMap(s.tempo, s.rate);
      for (const track of s.tracks) {
        for (const clip of track.clips) {
          if (clip.kind !== "notes") continue;
          const { from, to } = clipSpan(clip, tempo);
          const cut = applied(
            s,
            splitClip(track, clip, Math.round(from + (percent / 100) * (to - from)), tempo, "piece"),
          );
          const [one, two] = cut.tracks
            .find((t) => t.id === track.id)!
            .clips.filter((c) => c.kind === "notes" && (c.id === clip.id || c.id === "piece"));
          expect([one!.start, (one as typeof clip).ticks + (two as typeof clip).ticks, two!.start]).toEqual([
            clip.start,
            clip.ticks,
            clip.start + (one as typeof clip).ticks,
          ]);
        }
      }
    }),
    { numRuns: 20 },
  );
});

test("refuses a cut in a fade, outside, or under another clip, and notes where audio plays", () => {
  const [s] = fc.sample(
    randomSessions().filter(
      (x) => x.tracks[0]!.clips[0]!.kind === "audio" && x.tracks.some((t) => t.kind === "instrument"),
    ),
    { numRuns: 1, seed: 3 },
  );
  const tempo = tempoMap(s!.tempo, s!.rate);
  const track = s!.tracks[0]!;
  const clip = track.clips[0]!;
  if (clip.kind !== "audio") throw new Error("no audio");
  const faded = { ...clip, fadeOut: { frames: 4000, shape: "S" as const } };
  const under = {
    ...clip,
    id: "over",
    start: clip.start + 5000,
    frames: 6000,
    fadeOut: { frames: 0, shape: "S" as const },
  };
  const alone = { ...track, clips: [faded] };
  expect(splitClip(alone, faded, faded.start + faded.frames - 100, tempo, "x")).toMatchObject({
    ok: false,
    problems: [{ what: expect.stringContaining("fade") }],
  });
  expect(splitClip(alone, faded, faded.start, tempo, "x").ok).toBe(false);
  expect(splitClip({ ...track, clips: [faded, under] }, faded, faded.start + 7000, tempo, "x")).toMatchObject({
    ok: false,
    problems: [{ what: expect.stringContaining("lies over") }],
  });
  const instrument = s!.tracks.find((t) => t.kind === "instrument")!;
  expect(placeCopy(clip, instrument, 0, tempo, "x").ok).toBe(false);
  expect(applied(s!, placeCopy(clip, track, 40_000, tempo, "x")).tracks[0]!.clips.at(-1)).toMatchObject({
    id: "x",
    start: 40_000,
    frames: clip.frames,
  });
});
