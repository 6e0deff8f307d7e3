import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { fillSheet } from "../delivery/sheet";
import { hashOf } from "../testing/listen";
import { makeAudioClip, makeDevice, makeLane, makeNest, makeNoteClip, makeSend, makeSession, makeTrack } from "./build";
import { checkSession } from "./check";
import type { Session, Track } from "./document";
import { SESSION_VERSION } from "./version";
import type { Edit } from "./edits";
import { applyTyped } from "./apply";
import { applyStep, stepSchema } from "./edits";
import { readSession } from "./read";

const phrase = { id: "p", name: "Phrase", ticks: 3840, notes: [{ tick: 0, ticks: 960, pitch: 60, velocity: 90 }] };
const plain: Session = makeSession({
  name: "Session",
  assets: [{ id: hashOf(1), name: "take", frames: 96000, rate: 48000, channels: 2, origin: "imported" }],
  phrases: [phrase],
  tracks: [
    makeTrack({
      id: "a",
      name: "A",
      kind: "audio",
      output: "g",
      clips: [
        makeAudioClip({ id: "c1", asset: hashOf(1), start: 0, frames: 48000 }),
        makeAudioClip({ id: "c2", asset: hashOf(1), start: 60000, frames: 24000 }),
      ],
      devices: [makeDevice("e", "eq"), makeDevice("c", "compressor", {}, "i")],
      sends: [makeSend("s", "r", -6)],
    }),
    makeTrack({
      id: "i",
      name: "I",
      kind: "instrument",
      clips: [makeNoteClip("n", phrase, 0)],
      devices: [makeDevice("y", "synth")],
    }),
    makeTrack({ id: "g", name: "G", kind: "group" }),
    makeTrack({ id: "r", name: "R", kind: "return", devices: [makeDevice("h", "reverb")] }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix", devices: [makeDevice("l", "limiter")] }),
  ],
});
const session: Session = { ...plain, sheet: fillSheet(plain) };

const edits: fc.Arbitrary<Edit> = fc.oneof(
  fc
    .record({
      faderDb: fc.double({ min: -144, max: 24, noNaN: true }),
      pan: fc.double({ min: -1, max: 1, noNaN: true }),
      mute: fc.boolean(),
    })
    .map((patch): Edit => ({ do: "set", in: "tracks", id: "a", patch })),
  fc.string({ maxLength: 20 }).map((name): Edit => ({ do: "set", in: "tracks", id: "i", patch: { name } })),
  fc
    .double({ min: -18, max: 18, noNaN: true })
    .map((lowDb): Edit => ({ do: "set", in: "devices", track: "a", id: "e", patch: { params: { lowDb } } })),
  fc.constant<Edit>({ do: "set", in: "devices", track: "a", id: "e", patch: { params: { lowDb: null } } }),
  fc.nat(80000).map((start): Edit => ({ do: "set", in: "clips", track: "a", id: "c2", patch: { start } })),
  fc.constant<Edit>({ do: "remove", in: "clips", track: "a", id: "c1" }),
  fc.nat(3000).map((tick): Edit => ({
    do: "replace",
    in: "phrases",
    id: "p",
    remove: [...phrase.notes],
    add: [{ tick, ticks: 240, pitch: 64, velocity: 80 }, ...phrase.notes],
  })),
  fc.nat(1).map((index): Edit => ({ do: "move", in: "devices", track: "a", id: "c", index })),
  fc.nat(3).map((index): Edit => ({ do: "move", in: "rows", id: "row-a", index })),
  fc.constant<Edit>({
    do: "add",
    in: "tracks",
    item: { ...makeTrack({ id: "new", name: "New", kind: "audio" }) },
    index: 1,
  }),
  fc.string({ minLength: 1, maxLength: 30 }).map((name): Edit => ({ do: "set session", patch: { name } })),
  fc
    .constantFrom("16" as const, "24" as const, "32f" as const)
    .map((depth): Edit => ({ do: "set sheet", patch: { depth } })),
);

describe("edits", () => {
  test("the inverse of any step gives the session back, and its inverse the step", () => {
    fc.assert(
      fc.property(fc.array(edits, { minLength: 1, maxLength: 12 }), (list) => {
        const done = applyStep(session, { label: "step", edits: list });
        fc.pre(done.ok);
        if (!done.ok) return;
        const back = applyStep(done.value.session, done.value.inverse);
        expect(back.ok && back.value.session).toEqual(session);
        const again = back.ok && applyStep(back.value.session, back.value.inverse);
        expect(again && again.ok && again.value.session).toEqual(done.value.session);
      }),
      { numRuns: 300, seed: 4 },
    );
  });

  test("typed code comes to the same without the schemas", () => {
    fc.assert(
      fc.property(fc.array(edits, { minLength: 1, maxLength: 12 }), (list) => {
        const step = { label: "step", edits: list };
        expect(applyTyped(session, step)).toEqual(applyStep(session, step));
      }),
      { numRuns: 300, seed: 4 },
    );
  });

  test("a step from before a field was there is told whole, for pages that have no schemas", () => {
    const later = ["takes", "hidden", "printOf", "program"];
    const item = Object.fromEntries(
      Object.entries(makeTrack({ id: "new", name: "New", kind: "audio" })).filter(([field]) => !later.includes(field)),
    );
    const early = { label: "x", edits: [{ do: "add", in: "tracks", item, index: 1 } as unknown as Edit] };
    const done = applyStep(session, early);
    if (!done.ok) throw new Error("refused");
    const told = applyTyped(session, done.value.step);
    expect(told.ok && told.value.session).toEqual(done.value.session);
    expect(done.value.session.tracks[1]).toEqual(makeTrack({ id: "new", name: "New", kind: "audio" }));
  });

  test("a step and its inverse survive being stored as JSON", () => {
    fc.assert(
      fc.property(fc.array(edits, { minLength: 1, maxLength: 6 }), (list) => {
        const done = applyStep(session, { label: "step", edits: list });
        fc.pre(done.ok);
        if (done.ok)
          expect(stepSchema.parse(JSON.parse(JSON.stringify(done.value.inverse)))).toEqual(
            JSON.parse(JSON.stringify(done.value.inverse)),
          );
      }),
    );
  });

  test("what an edit does not name stays as it is, also where the schema has a default", () => {
    const led: Session = { ...session, leadIn: 3840 };
    const renamed = applyStep(led, { label: "x", edits: [{ do: "set session", patch: { name: "Other" } }] });
    expect(renamed.ok && renamed.value.session).toEqual({ ...led, name: "Other" });
    const reversed = applyStep(led, {
      label: "x",
      edits: [{ do: "set", in: "clips", track: "a", id: "c1", patch: { reverse: true, stretch: 2, frames: 96000 } }],
    });
    if (!reversed.ok) throw new Error("refused");
    const faded = applyStep(reversed.value.session, {
      label: "x",
      edits: [{ do: "set", in: "clips", track: "a", id: "c1", patch: { gainDb: -3 } }],
    });
    expect(faded.ok && faded.value.session.tracks[0]?.clips[0]).toMatchObject({
      reverse: true,
      stretch: 2,
      gainDb: -3,
    });
  });

  test("the result is always a consistent session, or nothing is done", () => {
    const refused = (edit: Edit) => {
      const result = applyStep(session, { label: "x", edits: [edit] });
      return result.ok ? null : result.problems[0];
    };
    /** What the compiler refuses, and the network may bring. */
    const wrong = (edit: object) => edit as Edit;
    expect(refused({ do: "set", in: "tracks", id: "a", patch: { faderDb: 99 } })?.where).toBe("edits[0].patch.faderDb");
    expect(refused({ do: "set", in: "tracks", id: "missing", patch: {} })?.what).toContain('no "missing"');
    expect(refused(wrong({ do: "set", in: "tracks", id: "a", patch: { id: "b" } }))?.what).toBe("an id never changes");
    expect(refused({ do: "remove", in: "tracks", id: "mix" })?.what).toContain("exactly one mix");
    expect(refused({ do: "remove", in: "tracks", id: "g" })?.where).toBe("tracks[0].output");
    expect(refused(wrong({ do: "set", in: "tracks", id: "a", patch: { colour: "red" } }))?.what).toMatch(
      /unrecognized key/i,
    );
    expect(refused({ do: "set", in: "clips", track: "a", id: "c2", patch: { offset: 90000 } })?.what).toContain(
      "the audio has 96000",
    );
    expect(
      refused({ do: "set", in: "devices", track: "a", id: "e", patch: { params: { warmth: 3 } } })?.what,
    ).toContain("no such parameter");
  });

  test("a step of which one edit fails changes nothing", () => {
    const result = applyStep(session, {
      label: "x",
      edits: [
        { do: "set", in: "tracks", id: "a", patch: { name: "changed" } },
        { do: "remove", in: "tracks", id: "none" },
      ],
    });
    expect(result.ok).toBe(false);
    expect(session.tracks[0]!.name).toBe("A");
  });

  test("two knobs of one device never undo each other", () => {
    const one = applyStep(session, {
      label: "1",
      edits: [{ do: "set", in: "devices", track: "a", id: "e", patch: { params: { lowDb: 3 } } }],
    });
    const two =
      one.ok &&
      applyStep(one.value.session, {
        label: "2",
        edits: [{ do: "set", in: "devices", track: "a", id: "e", patch: { params: { highDb: -2 } } }],
      });
    const undone = two && two.ok && one.ok && applyStep(two.value.session, one.value.inverse);
    expect(undone && undone.ok && undone.value.session.tracks[0]!.devices[0]!.params).toEqual({ highDb: -2 });
  });
});

/** A document as anyone may send it. */
interface Loose {
  version: number;
  tracks: { pan: number }[];
  tempo: { tick: number }[];
}

describe("documents", () => {
  test("a stored document reads back the same", () => {
    const read = readSession(JSON.parse(JSON.stringify(session)));
    expect(read.ok && read.value).toEqual(session);
  });

  test("a document of the first version is read as what it meant", () => {
    const first = {
      version: 1,
      name: "Old",
      rate: 48000,
      tempo: [{ tick: 0, bpm: 100, shape: "hold" }],
      meter: [{ bar: 1, numerator: 4, denominator: 4 }],
      phrases: [{ id: "p", name: "P", ticks: 960, notes: [] }],
      assets: [],
      tracks: [
        {
          id: "i",
          name: "I",
          kind: "instrument",
          output: "mix",
          devices: [{ id: "d", type: "bars", on: true, params: {}, key: null }],
          sends: [],
          faderDb: 0,
          pan: 0,
          mute: false,
          parked: false,
          frozen: null,
          clips: [{ kind: "notes", id: "n", name: "N", phrase: "p", start: 0, offset: 0, ticks: 960 }],
          automation: [{ id: "a", target: "fader", points: [{ tick: 0, value: -3, shape: "linear" }] }],
        },
        {
          id: "mix",
          name: "Mix",
          kind: "mix",
          output: null,
          devices: [],
          sends: [],
          clips: [],
          automation: [],
          faderDb: 0,
          pan: 0,
          mute: false,
          parked: false,
          frozen: null,
        },
      ],
      sheet: {
        rows: [{ id: "r", name: "R", sources: ["i"], tap: "group", returns: false }],
        from: null,
        to: null,
        tail: "measured",
        rate: null,
        depth: "24",
        dither: true,
      },
    };
    const read = readSession(first);
    if (!read.ok) throw new Error(read.problems.map((p) => `${p.where} ${p.what}`).join());
    expect(read.value.tracks[0]!.clips[0]).toMatchObject({ loop: false });
    expect(read.value.tracks[0]!.automation[0]).toEqual({
      id: "a",
      target: "fader",
      of: null,
      param: null,
      points: [{ tick: 0, value: -3, shape: "linear", bend: 0 }],
    });
    expect(read.value).toMatchObject({ version: SESSION_VERSION, leadIn: 0, sheet: { rows: [{ linked: false }] } });
  });

  test("automation, layers and nested clips are checked with their places", () => {
    const wrong = (tracks: readonly Track[]) =>
      readSession(makeSession({ tracks: [...tracks, makeTrack({ id: "mix", name: "Mix", kind: "mix" })] }));
    const said = (r: ReturnType<typeof readSession>) => (r.ok ? [] : r.problems.map((p) => p.where));
    const track = (more: Partial<Track>) => makeTrack({ id: "t", name: "T", kind: "audio", ...more });
    expect(
      said(
        wrong([
          track({
            devices: [makeDevice("d", "limiter")],
            automation: [makeLane("l", "param", [{ tick: 0, value: 2 }], "d", "lookaheadMs")],
          }),
        ]),
      ),
    ).toEqual(["tracks[0].automation[0].param"]);
    expect(
      said(
        wrong([
          track({
            devices: [makeDevice("d", "limiter")],
            automation: [makeLane("l", "param", [{ tick: 0, value: 2 }], "d", "ceilingDb")],
          }),
        ]),
      ),
    ).toEqual(["tracks[0].automation[0].points[0].value"]);
    expect(said(wrong([track({ automation: [makeLane("l", "send", [{ tick: 0, value: 0 }], "gone")] })]))).toEqual([
      "tracks[0].automation[0].of",
    ]);
    expect(
      said(
        wrong([
          track({
            automation: [makeLane("l", "pan", [{ tick: 0, value: 0 }]), makeLane("m", "pan", [{ tick: 0, value: 0 }])],
          }),
        ]),
      ),
    ).toEqual(["tracks[0].automation[1]"]);
    const child = makeAudioClip({ id: "c", asset: "0".repeat(64), start: 0, frames: 10 });
    expect(said(wrong([track({ clips: [makeNest({ id: "n", start: 0, frames: 10, children: [child] })] })]))).toEqual([
      "tracks[0].clips[0].children[0].asset",
    ]);
    expect(
      said(
        wrong([
          track({
            devices: [
              makeDevice("d", "eq", {}, null, [
                { id: "y", pad: 0, asset: "0".repeat(64), gainDb: 0, cents: 0, softest: 90, loudest: 20 },
              ]),
            ],
          }),
        ]),
      ),
    ).toEqual([
      "tracks[0].devices[0].layers[0].asset",
      "tracks[0].devices[0].layers[0].softest",
      "tracks[0].devices[0].layers",
    ]);
  });

  test("what is wrong is named with its place", () => {
    const problem = (change: (d: Loose) => void) => {
      const document = JSON.parse(JSON.stringify(session)) as Loose;
      change(document);
      const read = readSession(document);
      return read.ok ? null : read.problems[0];
    };
    expect(
      problem((d) => {
        d.version = 99;
      })?.where,
    ).toBe("version");
    expect(
      problem((d) => {
        d.tracks[0]!.pan = 3;
      })?.where,
    ).toBe("tracks[0].pan");
    expect(
      problem((d) => {
        d.tempo[0]!.tick = 5;
      })?.where,
    ).toBe("tempo[0].tick");
    const circle: Session = {
      ...session,
      tracks: session.tracks
        .map((t) => (t.id === "g" ? { ...t, output: "g2" } : t))
        .concat(makeTrack({ id: "g2", name: "G2", kind: "group", output: "g" })),
    };
    expect(checkSession(circle)[0]?.what).toMatch(/circle: (G → G2 → G|G2 → G → G2)/);
    expect(readSession([]).ok).toBe(false);
    expect(readSession(null).ok).toBe(false);
  });

  test("a key that would wait for itself is a circle too", () => {
    const keyed: Session = {
      ...session,
      tracks: session.tracks.map((t) =>
        t.id === "i" ? { ...t, devices: [...t.devices, makeDevice("ik", "compressor", {}, "a")] } : t,
      ),
    };
    expect(checkSession(keyed)[0]?.what).toContain("circle");
  });
});
