/** Long because fingerprints, freezes and tails are held to each other on the same sessions. */

import fc from "fast-check";
import { describe, expect, test } from "vitest";
import type { Session, Track } from "../session/document";
import { applyStep } from "../session/edits";
import type { Clip } from "../session/document";
import {
  makeAudioClip,
  makeDevice,
  makeLane,
  makeNest,
  makeNoteClip,
  makeSend,
  makeSession,
  makeTrack,
} from "../session/build";
import { MIX_OUT, differenceDb, hashOf, listen, memoryLibrary, peakDb, tapAt } from "../testing/listen";
import type { AudioLibrary } from "../engine/library";
import type { Tap } from "../engine/tap";
import { randomSessions, recordedAssets, recordings } from "../testing/random-session";
import { fingerprint, isStale, sourceFingerprint } from "./fingerprint";
import { passOf } from "../delivery/plan";
import { after, planned } from "../testing/print";
import { plainSlip } from "./slip";
import { cannotFreeze, commitStep, freezeStep, liveFor, planFreeze, unfreezeStep } from "./freeze";
import { sayRefusals } from "../words/refusals";
import { share } from "../../tests/setup/share";

const change = (session: Session, id: string, patch: Partial<Track>): Session => ({
  ...session,
  tracks: session.tracks.map((t) => (t.id === id ? { ...t, ...patch } : t)),
});
const applied = (session: Session, step: Parameters<typeof applyStep>[1]): Session => {
  const result = applyStep(session, step);
  if (!result.ok) throw new Error(result.problems[0]?.what);
  return result.value.session;
};

describe("fingerprint", () => {
  test("does not change with names, colour of the session, or anything downstream", () => {
    fc.assert(
      fc.property(randomSessions(), (s) => {
        const tap = tapAt("devices", "t0");
        const other = {
          ...change(change(s, "t0", { name: "other", faderDb: -33, pan: 0.9, mute: true, output: "mix" }), "g1", {
            faderDb: -20,
          }),
          name: "Another",
        };
        expect(fingerprint(other, tap)).toBe(fingerprint(s, tap));
      }),
      { numRuns: share(60), seed: 1 },
    );
  });

  test("changes with every parameter upstream, and only then", () => {
    fc.assert(
      fc.property(randomSessions(), fc.nat(2), (s, n) => {
        const tap = tapAt("group", "t0");
        const group = s.tracks.find((t) => t.id === "t0")!.output;
        const upstream = change(s, "t0", { faderDb: s.tracks[0]!.faderDb - 1 - n, automation: [] });
        expect(fingerprint(upstream, tap)).not.toBe(fingerprint(change(s, "t0", { automation: [] }), tap));
        if (group === "mix")
          expect(fingerprint(change(change(s, "g1", { pan: 0.5 }), "g2", { faderDb: -7 }), tap)).toBe(
            fingerprint(s, tap),
          );
        expect(fingerprint(change(s, "hall", { faderDb: -9 }), tap)).toBe(fingerprint(s, tap));
        if (group === "g1") expect(fingerprint(change(s, "g1", { pan: 0.5 }), tap)).not.toBe(fingerprint(s, tap));
        expect(fingerprint(change(s, "mix", { faderDb: -3 }), tap)).toBe(fingerprint(s, tap));
      }),
      { numRuns: share(60), seed: 2 },
    );
  });

  test("each kind of edit counts where it can be heard, and only there", () => {
    const clip = makeAudioClip({
      id: "c",
      asset: hashOf(1),
      start: 4000,
      frames: 20000,
      fadeIn: { frames: 500, shape: "S" },
    });
    const phrase = { id: "p", name: "P", ticks: 960, notes: [{ tick: 0, ticks: 400, pitch: 60, velocity: 90 }] };
    const base = makeSession({
      assets: recordedAssets,
      phrases: [phrase],
      tracks: [
        makeTrack({
          id: "a",
          name: "A",
          kind: "audio",
          output: "g",
          clips: [clip, makeAudioClip({ id: "d", asset: hashOf(2), start: 20000, frames: 9000 })],
          sends: [makeSend("s", "hall", -6)],
          devices: [makeDevice("e", "eq", { bell1Db: 3 }), makeDevice("t", "delay")],
          automation: [
            makeLane(
              "l",
              "param",
              [
                { tick: 0, value: 1 },
                { tick: 900, value: 4 },
              ],
              "e",
              "bell1Db",
            ),
            makeLane("r", "send", [{ tick: 0, value: -6 }], "s"),
          ],
        }),
        makeTrack({
          id: "i",
          name: "I",
          kind: "instrument",
          clips: [makeNoteClip("n", phrase, 0, 2400)],
          devices: [
            makeDevice("k", "kit", {}, null, [
              { id: "y", pad: 0, asset: hashOf(3), gainDb: 0, cents: 0, softest: 1, loudest: 127 },
            ]),
          ],
        }),
        makeTrack({
          id: "x",
          name: "X",
          kind: "audio",
          clips: [makeNest({ id: "nest", start: 0, frames: 9000, children: [{ ...clip, start: 100 }] })],
        }),
        makeTrack({
          id: "g",
          name: "G",
          kind: "group",
          devices: [makeDevice("gc", "compressor", { thresholdDb: -30 })],
        }),
        makeTrack({ id: "hall", name: "Hall", kind: "return", devices: [makeDevice("h", "reverb")] }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    });
    const clips = (...list: readonly Clip[]) => change(base, "a", { clips: list });
    const second = base.tracks[0]!.clips[1]!;
    const device = (track: string, id: string, patch: object) =>
      change(base, track, {
        devices: base.tracks.find((t) => t.id === track)!.devices.map((d) => (d.id === id ? { ...d, ...patch } : d)),
      });
    const a = tapAt("devices", "a"),
      i = tapAt("devices", "i"),
      x = tapAt("devices", "x");
    const linked: Tap = { ...tapAt("group", "a"), linked: true },
      apart = tapAt("group", "a"),
      baked: Tap = { ...tapAt("group", "a"), returns: true };
    const counts: readonly (readonly [Tap, Session])[] = [
      [a, clips({ ...clip, reverse: true }, second)],
      [a, clips({ ...clip, stretch: 1.1 }, second)],
      [a, clips({ ...clip, transposeCents: 5 }, second)],
      [a, clips({ ...clip, process: [makeDevice("p", "saturator")] }, second)],
      [a, clips(clip, { ...second, crossfade: true, fadeIn: { frames: 900, shape: "S" } } as Clip)],
      [a, device("a", "e", { params: { bell1Db: 3, lowDb: 1 } })],
      [a, { ...base, tempo: [{ tick: 0, bpm: 90, shape: "hold" }] }],
      [
        a,
        change(base, "a", {
          automation: [
            makeLane(
              "l",
              "param",
              [
                { tick: 0, value: 1, shape: "curved", bend: 0.5 },
                { tick: 900, value: 4 },
              ],
              "e",
              "bell1Db",
            ),
          ],
        }),
      ],
      [baked, change(base, "a", { automation: base.tracks[0]!.automation.filter((l) => l.target !== "send") })],
      [i, change(base, "i", { clips: [{ ...makeNoteClip("n", phrase, 0, 2400), loop: false }] })],
      [i, { ...base, phrases: [{ ...phrase, ticks: 480 }] }],
      [i, device("i", "k", { layers: [{ ...base.tracks[1]!.devices[0]!.layers[0]!, cents: 10 }] })],
      [
        x,
        change(base, "x", {
          clips: [makeNest({ id: "nest", start: 0, frames: 9000, children: [{ ...clip, start: 101 }] })],
        }),
      ],
      [linked, change(base, "x", { output: "g" })],
      [linked, device("g", "gc", { params: { thresholdDb: -29 } })],
    ];
    counts.forEach(([tap, changed], n) =>
      expect(fingerprint(changed, tap), `change ${n}`).not.toBe(fingerprint(base, tap)),
    );
    const silent: readonly (readonly [Tap, Session])[] = [
      [a, clips({ ...clip, name: "other" }, second)],
      [a, change(base, "a", { takes: [{ id: "k", name: "Take", clips: [clip] }] })],
      [a, { ...base, leadIn: 1920 }],
      [i, { ...base, tempo: base.tempo, name: "Other" }],
      [
        a,
        change(base, "a", {
          clips: base.tracks[0]!.clips.map(
            (c) => ({ ...c, process: [{ ...makeDevice("p", "saturator"), on: false }] }) as Clip,
          ),
        }),
      ],
      [apart, change(base, "x", { output: "g" })],
      [i, change(base, "i", { faderDb: -5 })],
      [x, device("g", "gc", { on: false })],
      [{ ...apart, at: "clip" }, device("a", "e", { on: false })],
    ];
    silent.forEach(([tap, changed], n) =>
      expect(fingerprint(changed, tap), `no change ${n}`).toBe(fingerprint(base, tap)),
    );
  });

  test("equal fingerprints mean equal sound", () => {
    fc.assert(
      fc.property(randomSessions(), fc.constantFrom("name", "mix", "pan of another", "parameter", "key"), (s, what) => {
        const tap = tapAt("devices", "t0");
        const other =
          what === "name"
            ? change(s, "t0", { name: "x" })
            : what === "mix"
              ? change(s, "mix", { devices: [] })
              : what === "pan of another"
                ? change(s, "g2", { pan: -0.7 })
                : change(s, "t0", {
                    devices: s.tracks[0]!.devices.map((d) => (d.type === "eq" ? { ...d, params: { lowDb: -8 } } : d)),
                  });
        const same = fingerprint(other, tap) === fingerprint(s, tap);
        const [a, b] = [s, other].map((x) => listen(x, [tap], { library: recordings, tail: "none", to: 20000 })[0]!);
        if (same) expect(differenceDb(a!, b!)).toBe(-Infinity);
        else expect(what).toBe("parameter");
      }),
      { numRuns: 12, seed: 3 },
    );
  });
});

describe("freeze", () => {
  const freeze = (session: Session, tracks: readonly string[]) => {
    const plan = planFreeze(session, tracks);
    if (!plan.ok) throw new Error(sayRefusals(plan.refusals));
    const end = Math.max(0, ...plan.value.map((r) => r.to));
    const heard = listen(
      liveFor(session, tracks),
      plan.value.map((r) => r.tap),
      { library: recordings, to: end, tail: "whole" },
    );
    const prints = plan.value.map((r, i) => ({
      track: r.track,
      fingerprint: r.fingerprint,
      asset: {
        id: hashOf(100 + i),
        name: r.track,
        frames: heard[i]!.left.length,
        rate: 48000,
        channels: 2,
        origin: "printed" as const,
      },
    }));
    const library = (hash: string) => {
      const i = prints.findIndex((p) => p.asset.id === hash);
      return i < 0 ? recordings(hash) : memoryLibrary({ [hash]: heard[i]! })(hash);
    };
    return { session: applied(session, freezeStep(session, prints)), library };
  };

  test("freezing and committing any tracks of any session leaves the mix as it was", () => {
    fc.assert(
      fc.property(randomSessions(), (s) => {
        const tracks = s.tracks.filter((t) => cannotFreeze(t) === null).map((t) => t.id);
        const { session, library } = freeze(s, tracks);
        const live = listen(s, [MIX_OUT], { library: recordings })[0]!;
        expect(differenceDb(listen(session, [MIX_OUT], { library })[0]!, live)).toBeLessThanOrEqual(-120);
        let n = 0;
        const step = commitStep(session, tracks, () => `new-${n++}`);
        expect(step.ok).toBe(true);
        if (!step.ok) return;
        const committed = applied(session, step.value);
        expect(committed.tracks.filter((t) => t.parked).map((t) => t.id)).toEqual(tracks);
        expect(differenceDb(listen(committed, [MIX_OUT], { library })[0]!, live)).toBeLessThanOrEqual(-120);
      }),
      { numRuns: 10, seed: 4 },
    );
  }, 120_000);

  test("in a range with its tail, a print in its source's place rings on past the end as the source did, until either is changed", () => {
    let held = 0;
    fc.assert(
      fc.property(randomSessions(), fc.integer({ min: 2000, max: 30_000 }), (s, to) => {
        if (cannotFreeze(s.tracks[0]!) !== null) return;
        const plan = planned(s, plainSlip(["t0"]));
        const made = after(s, plan);
        const range = { from: 0, to, endAt: to, tail: "measured" as const, tailFrames: 0 };
        const play = (session: Session, library: AudioLibrary) =>
          listen(
            session,
            [
              tapAt(
                "group",
                ...session.tracks.filter((t) => !t.parked && (t.id === "t0" || t.printOf !== null)).map((t) => t.id),
              ),
            ],
            { library, to, endAt: to },
          )[0]!;
        expect(
          differenceDb(play(s, recordings), play(passOf(made.session, range).session, made.library)),
        ).toBeLessThanOrEqual(-120);
        const print = made.session.tracks.find((t) => t.printOf !== null)!;
        for (const other of [
          change(made.session, print.id, { clips: print.clips.map((c) => ({ ...c, gainDb: -1 }) as Clip) }),
          change(made.session, "t0", {
            devices: [...s.tracks[0]!.devices, makeDevice("more", "utility", { gainDb: -1 })],
          }),
        ]) {
          expect(passOf(other, range).session.tracks.find((t) => t.id === print.id)?.kind).toBe("audio");
          expect(passOf(other, range).session.tracks.find((t) => t.id === print.id)?.clips.length).toBe(1);
        }
        held++;
      }),
      { numRuns: 14, seed: 9 },
    );
    expect(held).toBeGreaterThan(5);
  }, 120_000);

  test("a frozen track is fresh until its source changes, and stale then", () => {
    const s = fc.sample(randomSessions(), { numRuns: 1, seed: 12 })[0]!;
    const { session } = freeze(s, ["t0"]);
    const track = (x: Session) => x.tracks.find((t) => t.id === "t0")!;
    expect(isStale(session, track(session))).toBe(false);
    expect(isStale(change(session, "t0", { faderDb: -9 }), change(session, "t0", { faderDb: -9 }).tracks[0]!)).toBe(
      false,
    );
    const touched = change(session, "t0", {
      devices: [...track(session).devices, makeDevice("more", "utility", { gainDb: -1 })],
    });
    expect(isStale(touched, track(touched))).toBe(true);
    expect(sourceFingerprint(touched, "t0")).not.toBe(sourceFingerprint(session, "t0"));
    expect(track(applied(session, unfreezeStep(session, ["t0"]))).frozen).toBeNull();
    const again = planFreeze(session, ["t0"]);
    expect(again.ok && again.value).toEqual([]);
  });

  test("freezing a key does not make stale what it steers, and changes no stem's fingerprint", () => {
    const keyed = randomSessions().filter(
      (x) =>
        x.tracks[1]?.devices.some((d) => d.key === "t0") === true &&
        x.tracks.slice(0, 2).every((t) => cannotFreeze(t) === null),
    );
    fc.assert(
      fc.property(keyed, (s) => {
        const { session } = freeze(s, ["t0", "t1"]);
        for (const id of ["t0", "t1"]) {
          expect(
            isStale(
              session,
              session.tracks.find((t) => t.id === id)!,
            ),
          ).toBe(false);
          expect(fingerprint(session, tapAt("group", id))).toBe(fingerprint(s, tapAt("group", id)));
        }
        expect(fingerprint(session, MIX_OUT)).toBe(fingerprint(s, MIX_OUT));
        const touched = change(session, "t0", {
          devices: [...session.tracks[0]!.devices, makeDevice("more", "utility", { gainDb: -1 })],
        });
        expect(isStale(touched, touched.tracks[0]!)).toBe(true);
        // The key still plays its old print, so what it steers still sounds as it was printed, by another name.
        expect(isStale(touched, touched.tracks[1]!)).toBe(true);
      }),
      { numRuns: 4, seed: 6 },
    );
  });

  test("what cannot be frozen says why", () => {
    expect(cannotFreeze(makeTrack({ id: "g", name: "G", kind: "group" }))).toEqual({ kind: "only sources freeze" });
    expect(cannotFreeze(makeTrack({ id: "a", name: "A", kind: "audio" }))).toEqual({ kind: "nothing on the track" });
    const s = makeSession({ tracks: [makeTrack({ id: "mix", name: "Mix", kind: "mix" })] });
    const plan = planFreeze(s, ["mix", "gone"]);
    expect(plan.ok ? [] : plan.refusals.map((r) => r.track)).toEqual(["Mix", "gone"]);
  });

  test("keys and stems that pointed at a committed track follow its print", () => {
    const s = fc.sample(
      randomSessions().filter((x) => x.tracks.filter((t) => t.kind === "audio" || t.kind === "instrument").length > 1),
      { numRuns: 1, seed: 5 },
    )[0]!;
    const keyed = change(s, "t1", { devices: [...s.tracks[1]!.devices, makeDevice("k", "compressor", {}, "t0")] });
    const sheeted: Session = {
      ...keyed,
      sheet: {
        ...keyed.sheet,
        rows: [
          {
            id: "r",
            name: "Both",
            sources: ["t0", "t1"],
            tap: "group",
            returns: false,
            linked: false,
            channels: "as it is",
            ticked: true,
          },
        ],
      },
    };
    const { session } = freeze(sheeted, ["t0"]);
    const step = commitStep(
      session,
      ["t0"],
      (() => {
        let n = 0;
        return () => `c${n++}`;
      })(),
    );
    if (!step.ok) throw new Error("refused");
    const after = applied(session, step.value);
    expect(after.tracks.find((t) => t.id === "t1")!.devices.at(-1)!.key).toBe("c0");
    expect(after.sheet.rows[0]!.sources).toEqual(["c0", "t1"]);
    expect(after.tracks.findIndex((t) => t.id === "c0")).toBe(after.tracks.findIndex((t) => t.id === "t0") - 1);
    expect(peakDb(listen(s, [tapAt("devices", "t0")], { library: recordings })[0]!)).toBeGreaterThan(-60);
  });
});
