import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { randomSessions } from "../testing/random-session";
import type { Session } from "./document";
import type { Edit } from "./edits";
import { applyStep } from "./edits";
import {
  addDevice,
  addSend,
  addTrack,
  duplicateTrack,
  groupTracks,
  moveDevice,
  removeDevice,
  removeTracks,
} from "./track-edits";

const counter = () => {
  let n = 0;
  return () => `new-${n++}`;
};

/** Applies edits and takes them back: both have to be legal, and nothing of the way may stay. */
function there(session: Session, edits: readonly Edit[]): Session {
  const done = applyStep(session, { label: "test", edits: [...edits] });
  if (!done.ok) throw new Error(done.problems.map((p) => `${p.where}: ${p.what}`).join("; "));
  const back = applyStep(done.value.session, done.value.inverse);
  expect(back.ok && back.value.session).toEqual(session);
  return done.value.session;
}

const value = <T>(checked: { readonly ok: true; readonly value: T } | { readonly ok: false }): T => {
  if (!checked.ok) throw new Error("refused");
  return checked.value;
};

describe("tracks, devices and sends come and go", () => {
  test("whatever tracks are removed, the session stays legal and nothing points at them", () => {
    fc.assert(
      fc.property(randomSessions(), fc.array(fc.nat(20), { minLength: 1, maxLength: 4 }), (session, picks) => {
        const candidates = session.tracks.filter((t) => t.kind !== "mix");
        const ids = [...new Set(picks.map((p) => candidates[p % candidates.length]?.id ?? ""))];
        const after = there(session, value(removeTracks(session, ids)));
        expect(after.tracks.length).toBe(session.tracks.length - ids.length);
        const text = JSON.stringify(
          after.tracks.map((t) => [t.output, t.sends.map((s) => s.to), t.devices.map((d) => d.key)]),
        );
        for (const id of ids) expect(text).not.toContain(`"${id}"`);
      }),
      { numRuns: 60 },
    );
  });

  test("what ran into a removed group in a group runs on into what is left", () => {
    fc.assert(
      fc.property(randomSessions(), (session) => {
        const groups = session.tracks.filter((t) => t.kind === "group").map((t) => t.id);
        const after = there(session, value(removeTracks(session, groups)));
        expect(after.tracks.filter((t) => t.kind !== "mix").every((t) => t.output === "mix")).toBe(true);
      }),
      { numRuns: 30 },
    );
  });

  test("a copy of a track has ids of its own, its automation moves its own devices and sends, and it stands below", () => {
    fc.assert(
      fc.property(randomSessions(), fc.nat(20), (session, pick) => {
        const candidates = session.tracks.filter((t) => t.kind !== "mix");
        const track = candidates[pick % candidates.length]!;
        const made = value(duplicateTrack(session, track.id, counter()));
        const after = there(session, made.edits);
        const at = after.tracks.findIndex((t) => t.id === track.id);
        const copy = after.tracks[at + 1]!;
        expect(copy.id).toBe(made.id);
        const own = new Set([...copy.devices.map((d) => d.id), ...copy.sends.map((s) => s.id)]);
        expect(copy.automation.every((a) => a.of === null || own.has(a.of))).toBe(true);
        expect(copy.devices.some((d) => track.devices.some((o) => o.id === d.id))).toBe(false);
      }),
      { numRuns: 60 },
    );
  });

  test("a group takes tracks in and runs where the first of them ran; a group that comes along keeps its own", () => {
    fc.assert(
      fc.property(randomSessions(), fc.array(fc.nat(20), { minLength: 1, maxLength: 4 }), (session, picks) => {
        const candidates = session.tracks.filter(
          (t) => t.kind === "audio" || t.kind === "instrument" || t.kind === "group",
        );
        const ids = [...new Set(picks.map((p) => candidates[p % candidates.length]?.id ?? ""))];
        const made = value(groupTracks(session, ids, counter()));
        // Where groups are taken in beside what they run into, it may be refused for a circle, never be wrong.
        const done = applyStep(session, { label: "", edits: [...made.edits] });
        fc.pre(done.ok);
        const after = there(session, made.edits);
        for (const id of ids) {
          const output = after.tracks.find((t) => t.id === id)?.output;
          expect(output === made.id || ids.includes(output ?? "")).toBe(true);
        }
      }),
      { numRuns: 60 },
    );
  });

  test("tracks of every kind are added, with names that no track has", () => {
    fc.assert(
      fc.property(
        randomSessions(),
        fc.constantFrom("audio" as const, "instrument" as const, "group" as const, "return" as const),
        fc.nat(20),
        (session, kind, pick) => {
          const below = session.tracks[pick % session.tracks.length]!;
          const made = addTrack(session, kind, below.id, counter());
          const after = there(session, made.edits);
          const track = after.tracks.find((t) => t.id === made.id)!;
          expect(track.kind).toBe(kind);
          expect(session.tracks.some((t) => t.name === track.name)).toBe(false);
          expect(after.tracks.at(-1)?.id).toBe(session.tracks.at(-1)?.id);
        },
      ),
      { numRuns: 60 },
    );
  });

  test("effects are put in, moved and removed with their automation; an instrument stays first and is exchanged", () => {
    fc.assert(
      fc.property(
        randomSessions(),
        fc.nat(20),
        fc.nat(6),
        fc.constantFrom("eq", "compressor", "reverb"),
        (session, pick, index, type) => {
          const track = session.tracks[pick % session.tracks.length]!;
          const after = there(session, value(addDevice(track, type, counter(), Math.min(index, track.devices.length))));
          const grown = after.tracks.find((t) => t.id === track.id)!;
          expect(grown.devices.length).toBe(track.devices.length + 1);
          if (track.kind === "instrument") expect(grown.devices[0]?.id).toBe(track.devices[0]?.id);
          const moving = moveDevice(grown, "new-0", index);
          const moved = moving.length === 0 ? after : there(after, moving);
          expect(moved.tracks.find((t) => t.id === track.id)!.devices.some((d) => d.id === "new-0")).toBe(true);
          const effect = track.devices.find((_, i) => track.kind !== "instrument" || i > 0);
          if (effect) {
            const without = there(session, removeDevice(track, effect.id));
            expect(JSON.stringify(without.tracks.find((t) => t.id === track.id)!.automation)).not.toContain(
              `"of":"${effect.id}"`,
            );
          }
          if (track.kind === "instrument") {
            const other = there(session, value(addDevice(track, "fm", counter())));
            expect(other.tracks.find((t) => t.id === track.id)!.devices[0]?.type).toBe("fm");
          } else expect(addDevice(track, "fm", counter()).ok).toBe(false);
        },
      ),
      { numRuns: 80 },
    );
  });

  test("a send is quiet and after the fader; the mix cannot be removed, and what is not installed cannot be added", () => {
    fc.assert(
      fc.property(randomSessions(), (session) => {
        const to = session.tracks.find((t) => t.kind === "return")!;
        const from = session.tracks.find((t) => t.kind === "audio" || t.kind === "instrument");
        if (from)
          expect(
            there(session, addSend(from, to.id, counter()))
              .tracks.find((t) => t.id === from.id)!
              .sends.at(-1),
          ).toMatchObject({ to: to.id, gainDb: -12, position: "after fader" });
        expect(removeTracks(session, ["mix"]).ok).toBe(false);
        expect(addDevice(session.tracks[0]!, "nowhere", counter()).ok).toBe(false);
      }),
      { numRuns: 10 },
    );
  });
});
