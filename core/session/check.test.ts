import fc from "fast-check";
import { expect, test } from "vitest";
import { randomSessions } from "../testing/random-session";
import { makeDevice, makeTrack } from "./build";
import { checkChange, checkSession } from "./check";
import type { Session } from "./document";
import type { Edit } from "./edits";
import { applyEdits, applyStep } from "./edits";
import { difference, replacedIn, inOrder } from "./values";

const SOME = { minLength: 1, maxLength: 4 };

/** Any edit at all: what is asked for may be there or not, and fit or not. */
function anyEdit(session: Session): fc.Arbitrary<Edit> {
  const track = fc.constantFrom(...session.tracks);
  const other = fc.constantFrom(...session.tracks.map((t) => t.id), "missing");
  const within = fc.nat(6);
  return fc.oneof(
    track.map(({ id }): Edit => ({ do: "remove", in: "tracks", id })),
    fc.tuple(track, other).map(([{ id }, output]): Edit => ({ do: "set", in: "tracks", id, patch: { output } })),
    fc
      .tuple(track, fc.constantFrom("audio" as const, "instrument" as const, "group" as const, "return" as const))
      .map(([{ id }, kind]): Edit => ({ do: "set", in: "tracks", id, patch: { kind } })),
    fc.tuple(track, fc.constantFrom(null, "0".repeat(64))).map(([{ id }, asset]): Edit => ({
      do: "set",
      in: "tracks",
      id,
      patch: { frozen: asset === null ? null : { asset, fingerprint: asset } },
    })),
    fc.tuple(track, other).map(([{ id }, to]): Edit => ({
      do: "add",
      in: "sends",
      track: id,
      item: { id: "fresh", to, gainDb: -6, position: "after fader" },
      index: 0,
    })),
    fc
      .tuple(track, other, fc.constantFrom("eq", "compressor", "synth", "nothing known"))
      .map(([{ id }, key, type]): Edit => ({
        do: "add",
        in: "devices",
        track: id,
        item: makeDevice("fresh", type, {}, key === "missing" ? null : key),
        index: 0,
      })),
    fc.tuple(track, within).map(([t, i]): Edit => ({
      do: "remove",
      in: "devices",
      track: t.id,
      id: t.devices[i]?.id ?? "none",
    })),
    fc.tuple(track, within, fc.integer({ min: 0, max: 200000 })).map(([t, i, start]): Edit => ({
      do: "set",
      in: "clips",
      track: t.id,
      id: t.clips[i]?.id ?? "none",
      patch: { start, offset: start },
    })),
    fc.tuple(track, within).map(([t, i]): Edit => ({
      do: "remove",
      in: "clips",
      track: t.id,
      id: t.clips[i]?.id ?? "none",
    })),
    fc.tuple(track, track, within).map(([from, to, i]): Edit => {
      const clip = from.clips[i];
      return clip
        ? { do: "add", in: "clips", track: to.id, item: clip, index: 0 }
        : { do: "add", in: "tracks", item: makeTrack({ id: "new", name: "New", kind: "group" }), index: 0 };
    }),
    within.map((i): Edit => ({ do: "remove", in: "assets", id: session.assets[i]?.id ?? "none" })),
    within.map((i): Edit => ({ do: "set", in: "assets", id: session.assets[i]?.id ?? "none", patch: { frames: 10 } })),
    within.map((i): Edit => ({ do: "remove", in: "phrases", id: session.phrases[i]?.id ?? "none" })),
    fc.constant<Edit>({
      do: "set session",
      patch: {
        tempo: [
          { tick: 0, bpm: 100, shape: "hold" },
          { tick: 0, bpm: 90, shape: "hold" },
        ],
      },
    }),
    fc.tuple(fc.nat(4000), fc.nat(4000)).map(([from, to]): Edit => ({ do: "set sheet", patch: { from, to } })),
    other.map((source): Edit => ({
      do: "add",
      in: "rows",
      item: {
        id: "fresh",
        name: "Fresh",
        sources: [source],
        tap: "channel",
        returns: false,
        linked: false,
        channels: "as it is",
        ticked: true,
      },
      index: 0,
    })),
    track.chain((t) => {
      const lane = t.automation[0];
      return fc.constant<Edit>(
        lane
          ? { do: "replace", in: "automation", track: t.id, id: lane.id, remove: [], add: [...lane.points.slice(0, 1)] }
          : { do: "set", in: "tracks", id: t.id, patch: { faderDb: -3 } },
      );
    }),
  );
}

test("an edit is refused for the same reasons whether what it changed is looked at or the whole session", () => {
  let refused = 0;
  fc.assert(
    fc.property(
      randomSessions().chain((session) => fc.tuple(fc.constant(session), fc.array(anyEdit(session), SOME))),
      ([session, edits]) => {
        const made = applyEdits(session, { label: "x", edits });
        if (!made.ok) return;
        const whole = checkSession(made.value.session);
        if (whole.length > 0) refused++;
        expect(checkChange(session, made.value.session)).toEqual(whole);
      },
    ),
    { numRuns: 1500 },
  );
  expect(refused).toBeGreaterThan(200);
});

test("notes and points are replacedIn by their values, whatever was done to the others meanwhile", () => {
  const note = fc.record({
    tick: fc.nat(12).map((n) => n * 120),
    ticks: fc.constantFrom(120, 240),
    pitch: fc.integer({ min: 58, max: 62 }),
    velocity: fc.constantFrom(64, 100),
  });
  const notes = fc.array(note, { maxLength: 12 });
  fc.assert(
    fc.property(notes, notes, notes, (before, after, other) => {
      const { remove, add } = difference<"phrases">(before, after);
      expect(replacedIn(before, remove, add)).toEqual(inOrder(after));
      // Notes of another writer, put in between, stay where they are.
      expect(replacedIn([...before, ...other], remove, add)).toEqual(inOrder([...after, ...other]));
      const gone = replacedIn(after, add, remove);
      expect(gone).toEqual(inOrder(before));
    }),
  );
  expect(replacedIn([], [{ tick: 0, ticks: 1, pitch: 60, velocity: 1 }], [])).toBeNull();
});

test("what an edit does not touch stays the very same objects", () => {
  const [session] = fc.sample(randomSessions(), { seed: 11, numRuns: 1 }) as [Session];
  const track = session.tracks[0]!;
  const made = applyStep(session, {
    label: "x",
    edits: [{ do: "set", in: "tracks", id: track.id, patch: { faderDb: -7 } }],
  });
  if (!made.ok) throw new Error("refused");
  const after = made.value.session;
  expect(after.tracks[0]).not.toBe(track);
  expect(after.tracks.slice(1).every((t, i) => t === session.tracks[i + 1])).toBe(true);
  for (const list of ["clips", "devices", "sends", "automation", "takes"] as const)
    expect(after.tracks[0]![list]).toBe(track[list]);
  for (const list of ["phrases", "assets", "markers", "ranges", "tempo", "meter", "sheet"] as const)
    expect(after[list]).toBe(session[list]);
});
