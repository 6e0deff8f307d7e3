import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { randomSessions } from "../testing/random-session";
import { makeAudioClip, makeSession, makeTrack } from "./build";
import type { Session } from "./document";
import type { Edit } from "./edits";
import { applyStep } from "./edits";
import { editsBetween } from "./edits-between";

function after(session: Session, edits: readonly Edit[]): Session {
  if (edits.length === 0) return session;
  const made = applyStep(session, { label: "It", edits: JSON.parse(JSON.stringify(edits)) as Edit[] });
  if (!made.ok) throw new Error(made.problems.map((p) => `${p.where}: ${p.what}`).join("; "));
  return made.value.session;
}

/** A session as the database gives it back: nothing is the same object, and fields stand in another order. */
const stored = (session: Session): Session =>
  JSON.parse(JSON.stringify(session), (_, value: unknown) =>
    typeof value === "object" && value !== null && !Array.isArray(value)
      ? Object.fromEntries(Object.entries(value).reverse())
      : value,
  ) as Session;

describe("the edits between two sessions", () => {
  it("make any session any other, in one step that can be taken back", () => {
    const withRows = fc.tuple(randomSessions(), fc.shuffledSubarray(["t0", "g1", "g2", "hall"])).map(([s, names]) => ({
      ...s,
      name: names.join(" ") || s.name,
      tracks: [...s.tracks].reverse(),
      sheet: {
        ...s.sheet,
        version: `${names.length}`,
        rows: names.map((name) => ({
          ...{ id: `row-${name}`, name, sources: ["t0"], tap: "channel" as const, returns: false, linked: false },
          ...{ channels: "as it is" as const, ticked: names[0] === name },
        })),
      },
    }));
    fc.assert(
      fc.property(fc.oneof(randomSessions(), withRows), fc.oneof(randomSessions(), withRows), (from, to) => {
        const edits = editsBetween(from, to);
        if (edits === null) throw new Error("too many");
        if (edits.length === 0) return;
        const step = { label: "It", edits };
        const made = applyStep(from, step);
        if (!made.ok) throw new Error(made.problems.map((p) => `${p.where}: ${p.what}`).join("; "));
        expect(made.value.session).toEqual(to);
        const back = applyStep(made.value.session, made.value.inverse);
        expect(back.ok && back.value.session).toEqual(from);
      }),
      { numRuns: 200 },
    );
  });

  it("are none between a session and itself, whatever order its fields stand in", () => {
    fc.assert(
      fc.property(randomSessions(), (s) => {
        expect(editsBetween(s, stored(s))).toEqual([]);
      }),
    );
  });

  it("are as many as what differs, not as what was done", () => {
    const clips = Array.from({ length: 2000 }, (_, i) =>
      makeAudioClip({ id: `c${i}`, asset: "0".repeat(64), start: i * 100, frames: 90 }),
    );
    const before = makeSession({
      assets: [{ id: "0".repeat(64), name: "n", frames: 1000, rate: 48000, channels: 2, origin: "generated" }],
      tracks: [
        makeTrack({ id: "a", name: "A", kind: "audio", clips }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    });
    let now = before;
    for (let i = 0; i < 500; i++)
      now = after(now, [
        { do: "set", in: "tracks", id: "a", patch: { faderDb: -i / 10 } },
        { do: "set", in: "clips", track: "a", id: `c${i % 3}`, patch: { gainDb: -i / 10 } },
      ]);
    const back = editsBetween(now, before) ?? [];
    expect(back).toHaveLength(4);
    expect(after(now, back)).toEqual(before);
    const louder = after(
      now,
      clips.map((c): Edit => ({ do: "set", in: "clips", track: "a", id: c.id, patch: { gainDb: 3 } })),
    );
    expect(editsBetween(louder, now)).toHaveLength(1);
    expect(after(louder, editsBetween(louder, now) ?? [])).toEqual(now);
  });

  it("take notes, points and parameters for what they are", () => {
    fc.assert(
      fc.property(randomSessions(), (from) => {
        const phrase = from.phrases[0];
        const track = from.tracks.find((t) => t.devices.length > 0);
        const device = track?.devices[0];
        if (!phrase || !track || !device) return;
        const edits: Edit[] = [
          { do: "replace", in: "phrases", id: phrase.id, remove: phrase.notes.slice(0, 1), add: [] },
          { do: "set", in: "devices", track: track.id, id: device.id, patch: { on: !device.on } },
          ...Object.keys(device.params)
            .slice(0, 1)
            .map((p): Edit => ({
              do: "set",
              in: "devices",
              track: track.id,
              id: device.id,
              patch: { params: { [p]: null } },
            })),
        ];
        const to = after(from, edits);
        const found = editsBetween(from, stored(to)) ?? [];
        expect(found.length).toBeLessThanOrEqual(2);
        expect(after(from, found)).toEqual(to);
      }),
      { numRuns: 50 },
    );
  });
});
