import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { MIX_OUT, differenceDb, hashOf, listen } from "../testing/listen";
import { randomSessions, recordings } from "../testing/random-session";
import { makeAudioClip, makeDevice, makeNest, makeTrack } from "./build";
import type { Clip, NestClip, Session } from "./document";
import type { Edit } from "./edits";
import { applyStep } from "./edits";
import { consolidateNotes, nestClips, unnestClip } from "./nest-edits";

function applied(session: Session, edits: readonly Edit[]): Session {
  const made = applyStep(session, { label: "Edit", edits: [...edits] });
  if (!made.ok) throw new Error(made.problems.map((p) => `${p.where}: ${p.what}`).join("; "));
  const back = applyStep(made.value.session, made.value.inverse);
  expect(back.ok && back.value.session).toEqual(session);
  return made.value.session;
}
const heard = (s: Session) => listen(s, [MIX_OUT], { library: recordings, to: 60_000, tail: "none" })[0]!;
const counter = () => {
  let n = 0;
  return () => `new-${n++}`;
};

describe("nests", () => {
  test("putting clips in and taking them out again is not heard, and leaves them as they were", () => {
    let nested = 0;
    fc.assert(
      fc.property(randomSessions(), (session) => {
        const track = session.tracks.find((t) => t.kind === "audio");
        if (!track) return;
        const made = nestClips(
          track,
          track.clips.map((c) => c.id),
          counter(),
        );
        if (!made.ok) return;
        nested++;
        const inside = applied(session, made.value.edits);
        const there = inside.tracks.find((t) => t.id === track.id)!;
        expect(there.clips.length).toBe(1);
        if (made.value.ringing.length === 0)
          expect(differenceDb(heard(session), heard(inside))).toBeLessThanOrEqual(-140);
        const out = unnestClip(there, there.clips[0] as NestClip);
        if (!out.ok) throw new Error("refused");
        const again = applied(inside, out.value.edits);
        expect(again.tracks.find((t) => t.id === track.id)!.clips).toEqual(track.clips);
      }),
      { numRuns: 20 },
    );
    expect(nested).toBeGreaterThan(6);
  });

  test("any nest that can be taken apart sounds as before; one with fades is refused", () => {
    let apart = 0,
      refused = 0;
    fc.assert(
      fc.property(randomSessions(), fc.boolean(), (session, plain) => {
        const track = session.tracks.find((t) => t.clips.some((c) => c.kind === "nest"));
        const nest = track?.clips.find((c): c is NestClip => c.kind === "nest");
        fc.pre(track !== undefined && nest !== undefined);
        const bare: Session = plain
          ? {
              ...session,
              tracks: session.tracks.map((t) =>
                t === track ? { ...t, clips: [{ ...nest!, fadeIn: { frames: 0, shape: "linear" as const } }] } : t,
              ),
            }
          : session;
        const there = bare.tracks.find((t) => t.id === track!.id)!;
        const out = unnestClip(
          there,
          there.clips.find((c): c is NestClip => c.kind === "nest")!,
        );
        if (!out.ok) {
          refused++;
          return;
        }
        apart++;
        if (out.value.ringing.length === 0)
          expect(differenceDb(heard(bare), heard(applied(bare, out.value.edits)))).toBeLessThanOrEqual(-140);
      }),
      { numRuns: 12 },
    );
    expect(refused).toBeGreaterThan(0);
    expect(apart + refused).toBeGreaterThan(5);
  });
});

test("what rings on behind its end is named, where a nest's end cuts it off, or does so no more", () => {
  const ringing = makeAudioClip({
    ...{ id: "r", name: "Ping", asset: hashOf(1), start: 0, frames: 20_000, ringsOn: true },
    process: [makeDevice("d", "delay", { beats: 0.25, feedback: 45 })],
  });
  // With its effects off nothing rings.
  const dry = { ...ringing, id: "dry", process: ringing.process.map((d) => ({ ...d, on: false })) };
  const track = (clips: readonly Clip[]) => makeTrack({ id: "a", name: "A", kind: "audio", clips });
  const nest = makeNest({ id: "n", start: 0, offset: 0, frames: 20_000, children: [ringing] });
  const named = (made: ReturnType<typeof nestClips> | ReturnType<typeof unnestClip>) =>
    made.ok ? made.value.ringing : null;
  expect(named(nestClips(track([ringing]), ["r"], counter()))).toEqual(["Ping"]);
  expect(named(nestClips(track([dry]), ["dry"], counter()))).toEqual([]);
  expect(named(unnestClip(track([nest]), nest))).toEqual(["Ping"]);
  expect(named(unnestClip(track([nest]), { ...nest, children: [dry] }))).toEqual([]);
});

test("notes that are made one play as they did", () => {
  let made = 0;
  fc.assert(
    fc.property(randomSessions(), (session) => {
      const track = session.tracks.find((t) => t.kind === "instrument");
      if (!track) return;
      const [clip] = track.clips;
      if (clip?.kind !== "notes") return;
      const two: Session = {
        ...session,
        tracks: session.tracks.map((t) =>
          t === track
            ? { ...t, clips: [...t.clips, { ...clip, id: "second", start: clip.start + clip.ticks + 240 }] }
            : t,
        ),
      };
      const there = two.tracks.find((t) => t.id === track.id)!;
      const result = consolidateNotes(
        two,
        there,
        there.clips.map((c) => c.id),
        counter(),
      );
      if (!result.ok) throw new Error("refused");
      const after = applied(two, result.value.edits);
      expect(after.tracks.find((t) => t.id === track.id)!.clips.length).toBe(1);
      expect(differenceDb(heard(two), heard(after))).toBe(-Infinity);
      made++;
    }),
    { numRuns: 15 },
  );
  expect(made).toBeGreaterThan(4);
});
