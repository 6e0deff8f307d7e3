import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { MIX_OUT, differenceDb, listen } from "../testing/listen";
import { randomSessions, recordings } from "../testing/random-session";
import type { NestClip, Session } from "./document";
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
        expect(differenceDb(heard(bare), heard(applied(bare, out.value.edits)))).toBeLessThanOrEqual(-140);
      }),
      { numRuns: 12 },
    );
    expect(refused).toBeGreaterThan(0);
    expect(apart + refused).toBeGreaterThan(5);
  });
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
