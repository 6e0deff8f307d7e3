/** Long because every member of the family is held to its promise here, side by side, on the same few sessions. */

import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { sessionEnd } from "../engine/render";
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
import { isPlaced } from "../session/clips";
import type { Device, Layer, Phrase, Session, Track } from "../session/document";
import { applyStep } from "../session/edits";
import { tempoMap } from "../time/tempo";
import { MIX_OUT, differenceDb, hashOf, listen, noise, peakDb, tapAt } from "../testing/listen";
import { after, carryOut, counter, looped, planned, withPrints, whyDiffers } from "../testing/print";
import { recordedAssets, recordings } from "../testing/random-session";
import { MoveRecorder } from "./moves";
import { bandsOf } from "./members/pad";
import { planPrint } from "./plan";
import type { PrintPlan } from "./print";
import { freshness, planAgain, refreshStep } from "./refresh";
import { reopenStep } from "./reopen";
import { seamOf } from "./seam";
import type { Slip } from "./slip";
import { plainSlip } from "./slip";
import { tracksOf } from "./members/phrase";
import { sayRefusals } from "../words/refusals";

const motif: Phrase = {
  id: "motif",
  name: "Motif",
  ticks: 960,
  notes: [0, 240, 480, 720].map((tick, i) => ({ tick, ticks: 200, pitch: 60 + 3 * i, velocity: 60 + 15 * i })),
};
const other: Phrase = {
  id: "other",
  name: "Other",
  ticks: 480,
  notes: [{ tick: 0, ticks: 480, pitch: 48, velocity: 90 }],
};

const mixHeard = (session: Session, library = recordings, to = sessionEnd(session) + 24_000) =>
  listen(session, [MIX_OUT], { library, to, tail: "none" })[0]!;
/** How far the mix with a print in its source's place is from the mix before. */
function residue(session: Session, plan: PrintPlan): number {
  const made = after(session, plan);
  const to = Math.max(sessionEnd(session), sessionEnd(made.session)) + 24_000;
  return differenceDb(mixHeard(session, recordings, to), mixHeard(made.session, made.library, to));
}

const refusal = (session: Session, slip: Slip): string => {
  const plan = planPrint(session, slip);
  return plan.ok ? "" : sayRefusals(plan.refusals, " ");
};

const layer = (id: string, pad: number, asset: number, more: Partial<Layer> = {}): Layer => ({
  id,
  pad,
  asset: hashOf(asset),
  gainDb: -6,
  cents: 0,
  softest: 1,
  loudest: 127,
  ...more,
});
const kitDevice = (layers: readonly Layer[], params: Device["params"] = {}): Device =>
  makeDevice("kit", "kit", params, null, layers);

const instrumentSession = (
  instrument: Device,
  placements: readonly (readonly [start: number, ticks: number])[],
  more: Partial<Track> = {},
): Session =>
  makeSession({
    assets: recordedAssets,
    phrases: [motif, other],
    tracks: [
      makeTrack({
        id: "i",
        name: "Bell",
        kind: "instrument",
        devices: [instrument, makeDevice("e", "eq", { bell1Db: 5 })],
        faderDb: -4,
        pan: 0.3,
        sends: [makeSend("s", "hall", -9)],
        clips: placements.map(([start, ticks], k) => makeNoteClip(`p${k}`, motif, start, ticks)),
        ...more,
      }),
      makeTrack({ id: "hall", name: "Hall", kind: "return", devices: [makeDevice("h", "reverb", { decayS: 0.3 })] }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });

const phraseSlip: Slip = { ...plainSlip(["i"]), of: { what: "phrase", phrase: "motif" } };

describe("a phrase and all its placements", () => {
  const fm = makeDevice("fm", "fm", { releaseS: 0.3 });

  test("wherever and for however long it is placed, the swap is not heard, or the plan has said why", () => {
    const told = new Set<string>();
    let same = 0;
    const placed = fc.array(fc.tuple(fc.integer({ min: 0, max: 14 }), fc.constantFrom(960, 960, 480, 1500)), {
      minLength: 1,
      maxLength: 4,
    });
    fc.assert(
      fc.property(placed, fc.constantFrom("fm", "kit", "synth"), fc.boolean(), (where, type, saturated) => {
        const instrument =
          type === "kit"
            ? kitDevice([layer("a", 24, 1), layer("b", 27, 2)].map((l) => ({ ...l, pad: l.pad - 12 })))
            : makeDevice("x", type, { releaseS: 0.2 });
        const starts = [...new Set(where.map(([at]) => at))];
        const session = instrumentSession(
          instrument,
          starts.map((at, k) => [at * 480, where[k]![1]]),
          saturated ? { devices: [instrument, makeDevice("d", "saturator", { driveDb: 6 })] } : {},
        );
        const plan = planned(session, phraseSlip);
        if (plan.differs) return void told.add(plan.differs.kind);
        same++;
        expect(residue(session, plan)).toBeLessThanOrEqual(-120);
      }),
      { numRuns: 25 },
    );
    expect(same).toBeGreaterThan(5);
    expect(told.size).toBeGreaterThan(0);
  }, 120_000);

  test("placements of one length share a file, others get their own; the source rests, its tails ring into each other", () => {
    const session = instrumentSession(fm, [
      [0, 960],
      [1920, 960],
      [2880, 480],
    ]);
    const plan = planned(session, phraseSlip);
    expect(plan.files.map((f) => f.at.length)).toEqual([2, 1]);
    const made = after(session, plan);
    const [source, print] = made.session.tracks;
    expect([source!.parked, source!.clips.length, print!.clips.length, print!.faderDb, print!.sends.length]).toEqual([
      true,
      3,
      3,
      -4,
      1,
    ]);
    expect(print!.clips.every((c) => c.kind === "audio" && c.layered)).toBe(true);
  });

  test("other clips of the track stay where they are and sound on", () => {
    const session = instrumentSession(
      fm,
      [
        [0, 960],
        [1920, 960],
      ],
      { clips: [makeNoteClip("p0", motif, 0), makeNoteClip("o", other, 960), makeNoteClip("p1", motif, 1920)] },
    );
    const plan = planned(session, phraseSlip);
    expect(residue(session, plan)).toBeLessThanOrEqual(-120);
    expect(after(session, plan).session.tracks[0]).toMatchObject({ parked: false, clips: [{ id: "o" }] });
  });

  test("what moves along the timeline refuses; left out, it is told that it rests", () => {
    const lane = makeLane(
      "m",
      "param",
      [
        { tick: 0, value: -6 },
        { tick: 1900, value: 6 },
      ],
      "e",
      "bell1Db",
    );
    const session = instrumentSession(
      fm,
      [
        [0, 960],
        [1920, 960],
      ],
      { automation: [lane] },
    );
    expect(refusal(session, phraseSlip)).toContain("moves along the timeline");
    expect(whyDiffers(planned(session, { ...phraseSlip, automation: "out" }))).toContain("rests at its first value");
  });

  test("tracks that place it are found; a tempo that puts its notes elsewhere is told", () => {
    const session: Session = {
      ...instrumentSession(fm, [
        [0, 960],
        [3840, 960],
      ]),
      tempo: [
        { tick: 0, bpm: 120, shape: "hold" },
        { tick: 3840, bpm: 97, shape: "hold" },
      ],
    };
    expect(tracksOf(session, "motif")).toEqual(["i"]);
    expect(whyDiffers(planned(session, phraseSlip))).toContain("the tempo puts the notes");
  });
});

describe("a pad's layers made one", () => {
  const strikes: Phrase = {
    id: "strikes",
    name: "Strikes",
    ticks: 3840,
    notes: [20, 64, 100, 127].map((velocity, i) => ({ tick: i * 600, ticks: 100, pitch: 36 + 3, velocity })),
  };
  const session = (layers: readonly Layer[], params: Device["params"] = {}): Session =>
    makeSession({
      assets: recordedAssets,
      phrases: [strikes],
      tracks: [
        makeTrack({
          id: "k",
          name: "Drums",
          kind: "instrument",
          devices: [kitDevice(layers, params)],
          clips: [makeNoteClip("c", strikes, 0)],
        }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    });
  const slip = (velocities: "each" | "one"): Slip => ({
    ...plainSlip(["k"]),
    of: { what: "pad", device: "kit", pad: 3, velocities },
  });
  const layered = [
    layer("a", 3, 1),
    layer("b", 3, 2, { gainDb: -12, cents: 500, softest: 60 }),
    layer("elsewhere", 5, 3),
  ];

  test("every strike sounds as before, at any level, tuning and velocity", () => {
    const some = fc.array(
      fc.record({
        asset: fc.integer({ min: 1, max: 3 }),
        gainDb: fc.integer({ min: -30, max: 6 }),
        cents: fc.integer({ min: -1200, max: 1200 }),
        split: fc.constantFrom([1, 127], [1, 127], [50, 127], [1, 80]),
      }),
      { minLength: 2, maxLength: 3 },
    );
    let same = 0;
    fc.assert(
      fc.property(some, fc.integer({ min: 0, max: 100 }), (list, touch) => {
        const before = session(
          list.map((l, i) =>
            layer(`l${i}`, 3, l.asset, {
              gainDb: l.gainDb,
              cents: l.cents,
              softest: l.split[0]!,
              loudest: l.split[1]!,
            }),
          ),
          { touch },
        );
        const plan = planPrint(before, slip("each"));
        if (!plan.ok) return;
        expect(plan.value.differs).toBeNull();
        same++;
        expect(residue(before, plan.value)).toBeLessThanOrEqual(-120);
      }),
      { numRuns: 12 },
    );
    expect(same).toBeGreaterThan(6);
  }, 60_000);

  test("bands of velocity become a layer each, or the hardest strike becomes the only one; other pads are left alone", () => {
    expect(bandsOf(layered.slice(0, 2)).map((b) => [b.softest, b.loudest, b.layers.length])).toEqual([
      [1, 59, 1],
      [60, 127, 2],
    ]);
    const kitAfter = (how: "each" | "one") =>
      after(session(layered), planned(session(layered), slip(how))).session.tracks[0]!.devices[0]!.layers.map((l) => [
        l.pad,
        l.softest,
        l.loudest,
        l.gainDb,
        l.cents,
      ]);
    expect(kitAfter("each")).toEqual([
      [5, 1, 127, -6, 0],
      [3, 1, 59, 0, 0],
      [3, 60, 127, 0, 0],
    ]);
    expect(kitAfter("one")).toEqual([
      [5, 1, 127, -6, 0],
      [3, 1, 127, 0, 0],
    ]);
    expect(whyDiffers(planned(session(layered), slip("one")))).toContain("only the hardest");
  });

  test("a pad with one layer, a kit that is not there, and too many different strikes are refused", () => {
    expect(refusal(session([layered[0]!]), slip("each"))).toContain("one layer already");
    expect(
      refusal(session(layered), { ...slip("each"), of: { what: "pad", device: "gone", pad: 3, velocities: "each" } }),
    ).toContain("no such kit");
    const many = [
      [1, 90],
      [20, 110],
      [40, 127],
    ].map(([softest, loudest], i) => layer(`m${i}`, 3, 1, { softest: softest!, loudest: loudest! }));
    expect(refusal(session(many), slip("each"))).toContain("a pad holds 4");
    expect(refusal(session(many), slip("one"))).toBe("");
  });

  test("a print can become a layer of a pad that has room", () => {
    const both: Session = {
      ...session(layered),
      tracks: [
        makeTrack({
          id: "a",
          name: "Rope",
          kind: "audio",
          clips: [makeAudioClip({ id: "c1", asset: hashOf(1), start: 0, frames: 9000 })],
        }),
        ...session(layered).tracks,
      ],
    };
    const onto: Slip = {
      ...plainSlip(["a"]),
      placed: "pad",
      pad: { track: "k", device: "kit", pad: 3 },
      afterwards: "keep live",
      range: { by: "own" },
    };
    const made = after(both, planned(both, onto)).session;
    expect(made.tracks.find((t) => t.id === "k")!.devices[0]!.layers.filter((l) => l.pad === 3)).toHaveLength(3);
    expect(refusal(both, { ...onto, pad: { track: "k", device: "gone", pad: 3 } })).toContain("choose a pad");
    expect(refusal(both, { ...onto, tracks: ["k"], afterwards: "park" })).toContain("the kit itself would be parked");
  });

  test("slices of a clip go onto a pad each, from the chosen one on; too many for the kit are refused", () => {
    const sliced: Session = {
      ...session(layered),
      tracks: [
        makeTrack({
          id: "a",
          name: "Rope",
          kind: "audio",
          clips: [0, 1, 2].map((k) =>
            makeAudioClip({ id: `s${k}`, asset: hashOf(1), start: 3000 * k, offset: 3000 * k, frames: 3000 }),
          ),
        }),
        ...session(layered).tracks,
      ],
    };
    const onto = (pad: number): Slip => ({
      ...plainSlip(["a"]),
      placed: "pad",
      pad: { track: "k", device: "kit", pad },
      pieces: "each clip",
      tail: "none",
      tap: "clip",
      afterwards: "keep live",
      range: { by: "own" },
    });
    const made = after(sliced, planned(sliced, onto(8))).session;
    const pads = made.tracks
      .find((t) => t.id === "k")!
      .devices[0]!.layers.filter((l) => l.pad >= 8)
      .map((l) => l.pad);
    expect(pads).toEqual([8, 9, 10]);
    expect(refusal(sliced, onto(62))).toContain("from there on 2 have room");
  });
});

describe("a seamless loop", () => {
  const ringing = makeSession({
    assets: recordedAssets,
    ranges: [{ id: "r", name: "Two beats", from: 960, to: 2880 }],
    tracks: [
      makeTrack({
        id: "a",
        name: "Rope",
        kind: "audio",
        devices: [makeDevice("v", "reverb", { decayS: 0.8, wet: 60 })],
        clips: [
          makeAudioClip({
            id: "c",
            asset: hashOf(1),
            start: 20_000,
            frames: 48_000,
            fadeIn: { frames: 900, shape: "S" },
          }),
          makeAudioClip({ id: "d", asset: hashOf(2), start: 70_000, frames: 30_000 }),
        ],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
  const slip = (seam: Slip["seam"]): Slip => ({
    ...plainSlip(["a"]),
    range: { by: "saved", range: "r" },
    seam,
    placed: "shelf",
  });
  const edgesOf = (h: { left: Float32Array; right: Float32Array }) => ({
    first: [h.left.slice(0, 480), h.right.slice(0, 480)] as const,
    last: [h.left.slice(-480), h.right.slice(-480)] as const,
  });

  test("folded: ten times round it is what ten repeats of the stretch in the session sound like from the second on", () => {
    const plan = planned(ringing, slip({ by: "fold" }));
    const [loop] = carryOut(plan).heard;
    expect(loop!.left.length).toBe(48_000);
    // The stretch by itself, placed ten times after one another in front of the same reverb.
    const children = ringing.tracks[0]!.clips.filter(isPlaced);
    const ten: Session = {
      ...ringing,
      tracks: ringing.tracks.map((t) =>
        t.id === "a"
          ? {
              ...t,
              clips: Array.from({ length: 10 }, (_, k) =>
                makeNest({ id: `x${k}`, start: 48_000 * k, frames: 48_000, offset: 24_000, children }),
              ),
            }
          : t,
      ),
    };
    const whole = listen(ten, [tapAt("devices", "a")], { library: recordings, to: 480_000, tail: "none" })[0]!;
    const last = { left: whole.left.slice(432_000), right: whole.right.slice(432_000) };
    expect(differenceDb(last, loop!)).toBeLessThan(-100);
    // Its tail is in it: the beginning is louder than the stretch printed with a hard edge.
    const plain = carryOut(planned(ringing, { ...slip({ by: "none" }), tail: "none" })).heard[0]!;
    expect(differenceDb(plain, loop!)).toBeGreaterThan(-40);
  });

  test("whatever is looped, the seam is no larger a step than the material's own", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 40_000 }),
        fc.integer({ min: 9_000, max: 50_000 }),
        fc.constantFrom("fold" as const, "crossfade" as const),
        (from, length, by) => {
          const smooth: Session = {
            ...ringing,
            tracks: ringing.tracks.map((t) =>
              t.id === "a"
                ? {
                    ...t,
                    devices: [
                      makeDevice("f", "filter", { cutoffHz: 300 }),
                      makeDevice("v", "reverb", { decayS: 0.4, wet: 100 }),
                    ],
                  }
                : t,
            ),
          };
          const seam: Slip["seam"] = by === "fold" ? { by } : { by, frames: 4000 };
          const start = from + 5000;
          const plan = planned(smooth, { ...slip(seam), range: { by: "stretch", from: start, to: start + length } });
          const loop = carryOut(plan).heard[0]!;
          expect(loop.left.length).toBe(length);
          const { jumpDb, slopeDb } = seamOf(edgesOf(loop));
          if (peakDb(loop) > -60) expect(jumpDb ?? -Infinity).toBeLessThanOrEqual((slopeDb ?? -Infinity) + 0.1);
        },
      ),
      { numRuns: 12 },
    );
  }, 60_000);

  test.each([
    [48000, 44100],
    [44100, 96000],
    [96000, 48000],
  ])("kept at another rate it is converted as it goes round: %d to %d has no edge at its ends", (from, to) => {
    // Shorter than the converter reaches, and longer; whole periods of the tone, so the loop is the tone without an
    // end.
    for (const seconds of [0.01, 0.5]) {
      const [frames, made] = [from * seconds, to * seconds];
      const tone = (n: number, rate: number) =>
        Float32Array.from({ length: n }, (_, i) => 0.5 * Math.sin((2 * Math.PI * 1000 * i) / rate));
      const x = tone(frames, from);
      const loop = looped({ left: x, right: x }, frames, 0, { from, to });
      expect(loop.left.length).toBe(made);
      const wanted = tone(made, to);
      expect(differenceDb(loop, { left: wanted, right: wanted })).toBeLessThan(-100);
    }
  });

  test("of any length, at any rate: as many whole frames as are nearest to it, and no edge where it goes round", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 400, max: 60_000 }),
        fc.integer({ min: 1, max: 40 }),
        fc.constantFrom(
          ...[44100, 48000, 88200, 96000].flatMap((from) =>
            [44100, 48000, 96000].filter((to) => to !== from).map((to) => ({ from, to })),
          ),
        ),
        (frames, periods, rate) => {
          // A tone that goes round exactly: it is what it is at every frame of the loop, at any rate.
          const cycles = Math.max(1, Math.min(periods, Math.floor(frames / 8)));
          const tone = (n: number) =>
            Float32Array.from({ length: n }, (_, i) => 0.5 * Math.sin((2 * Math.PI * cycles * i) / n + 0.7));
          const x = tone(frames);
          const made = Math.round((frames * rate.to) / rate.from);
          const loop = looped({ left: x, right: x }, frames, 0, rate);
          expect(loop.left.length).toBe(made);
          const wanted = tone(made);
          expect(differenceDb(loop, { left: wanted, right: wanted })).toBeLessThan(-110);
        },
      ),
      { numRuns: 30 },
    );
  }, 120_000);

  test("a crossfade ends where what came before the loop ends; it says when there is too little before it", () => {
    const ramp = noise(20_000, 3);
    const loop = looped(ramp, 12_000, 3000);
    expect(Math.abs(loop.left.at(-1)! - ramp.left[2999]!)).toBeLessThan(0.001);
    expect(loop.left.slice(0, 9000)).toEqual(ramp.left.slice(3000, 12_000));
    expect(
      refusal(ringing, {
        ...slip({ by: "crossfade", frames: 4000 }),
        range: { by: "stretch", from: 1000, to: 30_000 },
      }),
    ).toContain("too little sound before");
    expect(refusal(ringing, { ...slip({ by: "fold" }), range: { by: "zero" } })).toContain("a loop needs a range");
  });
});

describe("automation and a live pass", () => {
  const track = (automation: Track["automation"]): Session =>
    makeSession({
      assets: recordedAssets,
      tracks: [
        makeTrack({
          id: "a",
          name: "Rope",
          kind: "audio",
          faderDb: -3,
          devices: [makeDevice("e", "eq", { bell1Db: 2 })],
          automation,
          clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 3000, frames: 44_000 })],
        }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    });
  const ride = makeLane("ride", "fader", [
    { tick: 0, value: -12 },
    { tick: 700, value: -2 },
    { tick: 1400, value: -20 },
  ]);

  test("left out of a print after the fader, a ride moves on to the new track and is heard as before; a pan that moved is told", () => {
    const session = track([
      ride,
      makeLane("mu", "mute", [
        { tick: 0, value: 0, shape: "hold" },
        { tick: 1000, value: 1, shape: "hold" },
      ]),
    ]);
    const plan = planned(session, { ...plainSlip(["a"]), tap: "channel", automation: "out" });
    expect(plan.differs).toBeNull();
    expect(residue(session, plan)).toBeLessThanOrEqual(-120);
    const swung = track([
      makeLane("p", "pan", [
        { tick: 0, value: -1 },
        { tick: 900, value: 1 },
      ]),
    ]);
    expect(whyDiffers(planned(swung, { ...plainSlip(["a"]), tap: "channel", automation: "out" }))).toContain(
      "the pan on Rope moved",
    );
  });

  test("what is ridden is kept and printed from: the same bytes twice, and as automation of the same would sound; the session keeps its own", () => {
    const session = track([]);
    const recorder = new MoveRecorder(session, 0, tempoMap(session.tempo, session.rate));
    for (let i = 0; i <= 40; i++)
      recorder.ride([{ do: "set", in: "tracks", id: "a", patch: { faderDb: -3 - i / 4 } }], 100 + i * 20);
    recorder.ride([{ do: "set", in: "devices", track: "a", id: "e", patch: { params: { bell1Db: 9 } } }], 500);
    expect(recorder.ride([{ do: "set", in: "tracks", id: "a", patch: { name: "Other" } }], 500)).toBe(false);
    const moves = recorder.lanes(counter());
    // A straight ride is its two ends and the rest before it, however often the hand was looked at.
    expect(moves.map((m) => [m.lane.target, m.lane.points.length])).toEqual([
      ["fader", 3],
      ["param", 3],
    ]);
    const slip: Slip = { ...plainSlip(["a"]), tap: "channel", moves };
    const [once, twice] = [carryOut(planned(session, slip)), carryOut(planned(session, slip))];
    expect(once.heard).toEqual(twice.heard);
    const drawn = carryOut(
      planned(
        {
          ...session,
          tracks: session.tracks.map((t) => (t.id === "a" ? { ...t, automation: moves.map((m) => m.lane) } : t)),
        },
        { ...slip, moves: [] },
      ),
    );
    expect(differenceDb(once.heard[0]!, drawn.heard[0]!)).toBe(-Infinity);
    expect(differenceDb(once.heard[0]!, carryOut(planned(session, { ...slip, moves: [] })).heard[0]!)).toBeGreaterThan(
      -30,
    );
    const made = after(session, planned(session, slip)).session;
    expect(made.tracks.map((t) => t.automation.length)).toEqual([0, 0, 0]);
  });
});

describe("pieces that ring into each other", () => {
  test("each run printed by itself with its tail sounds as the whole did", () => {
    const session = makeSession({
      assets: recordedAssets,
      tracks: [
        makeTrack({
          id: "a",
          name: "Rope",
          kind: "audio",
          devices: [makeDevice("v", "reverb", { decayS: 1.5 })],
          clips: [0, 20_000, 40_000].map((start, i) =>
            makeAudioClip({ id: `c${i}`, asset: hashOf(1 + i), start, frames: 9000 }),
          ),
        }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    });
    const plan = planned(session, { ...plainSlip(["a"]), pieces: "each run" });
    expect([plan.files.length, plan.differs]).toEqual([3, null]);
    expect(residue(session, plan)).toBeLessThanOrEqual(-120);
  });
});

describe("afterwards", () => {
  const session = makeSession({
    assets: recordedAssets,
    tracks: [
      makeTrack({
        id: "a",
        name: "Rope",
        kind: "audio",
        devices: [makeDevice("e", "eq", { bell1Db: 3 })],
        clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 3000, frames: 20_000 })],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
  const changed = (s: Session): Session => ({
    ...s,
    tracks: s.tracks.map((t) => (t.id === "a" ? { ...t, devices: [makeDevice("e", "eq", { bell1Db: -9 })] } : t)),
  });

  test("parked and hidden, the source is out of sight and as it was", () => {
    expect(
      after(session, planned(session, { ...plainSlip(["a"]), afterwards: "park and hide" })).session.tracks[0],
    ).toMatchObject({ parked: true, hidden: true });
  });

  test("a stale print is seen, printed again from the parked source, and plays in the old one's place", () => {
    const plan = planned(session, plainSlip(["a"]));
    const made = after(session, plan);
    const { fingerprint } = plan.files[0]!;
    expect(freshness(made.session, plan.slip, fingerprint)).toBe("fresh");
    const later = changed(made.session);
    expect(freshness(later, plan.slip, fingerprint)).toBe("stale");
    const again = planAgain(later, plan.slip);
    if (!again.ok) throw new Error("cannot be printed again");
    const second = carryOut(again.value, recordings, 950);
    const step = refreshStep(later, [{ old: hashOf(900), printed: second.printed[0]! }], "Refresh");
    const fresh = applyStep(later, step);
    if (!fresh.ok) throw new Error(fresh.problems[0]!.what);
    const wanted = changed(session);
    const library = withPrints(second.heard, made.library, 950);
    expect(
      differenceDb(mixHeard(wanted, recordings, 60_000), mixHeard(fresh.value.session, library, 60_000)),
    ).toBeLessThanOrEqual(-120);
    expect(freshness(fresh.value.session, plan.slip, again.value.files[0]!.fingerprint)).toBe("fresh");
  });

  test("reopened: a parked source wakes, one that was cleared or deleted comes back as it was, and the print rests", () => {
    for (const afterwards of ["park", "replace"] as const) {
      const plan = planned(session, { ...plainSlip(["a"]), afterwards });
      const made = after(session, plan);
      const now: Session =
        afterwards === "park"
          ? made.session
          : { ...made.session, tracks: made.session.tracks.filter((t) => t.id !== "a") };
      const print = {
        ...{ slip: plan.slip, place: 0, printed: session, before: session, after: made.session, later: [] },
        files: [{ place: 0, asset: hashOf(900), name: plan.files[0]!.name }],
      };
      const step = reopenStep(now, print, counter("back"));
      if (!step.ok) throw new Error(step.problems[0]!.what);
      const open = applyStep(now, step.value.step);
      if (!open.ok) throw new Error(open.problems[0]!.what);
      expect(
        differenceDb(mixHeard(session, recordings, 60_000), mixHeard(open.value.session, made.library, 60_000)),
      ).toBe(-Infinity);
      expect(open.value.session.tracks.filter((t) => t.parked)).toHaveLength(1);
    }
    const same = { slip: plainSlip(["a"]), place: 0, printed: session, before: session, after: session };
    expect(reopenStep(session, { ...same, files: [], later: [] }, counter()).ok).toBe(false);
    expect(
      planAgain(after(session, planned(session, { ...plainSlip(["a"]), afterwards: "replace" })).session, {
        ...plainSlip(["a"]),
        afterwards: "replace",
      }).ok,
    ).toBe(false);
  });
});

describe("what cannot sound the same is said before, with the reason", () => {
  const session = makeSession({
    assets: recordedAssets,
    ranges: [{ id: "r", name: "R", from: 480, to: 1920 }],
    tracks: [
      makeTrack({
        id: "a",
        name: "Rope",
        kind: "audio",
        devices: [makeDevice("o", "outboard")],
        clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: 40_000 })],
      }),
      makeTrack({
        id: "k",
        name: "Drums",
        kind: "instrument",
        devices: [kitDevice([layer("x", 0, 1), layer("y", 0, 2)], { tuneCents: 300 })],
        clips: [makeNoteClip("n", motif, 0)],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
  const reason = (slip: Slip) => whyDiffers(planned(session, slip)) ?? "the same";

  test("a loop, a live pass, hardware, a tuned kit's pad, the shelf, a pad, the mix, fewer bits, mono, no tail, a stretch, a source that sounds on", () => {
    const plain: Slip = { ...plainSlip(["a"]), pass: "real time" };
    const told: readonly (readonly [string, Slip])[] = [
      ["never sounds twice the same", plain],
      [
        "ends are made for one another",
        { ...plain, pass: "offline", tap: "clip", range: { by: "saved", range: "r" }, seam: { by: "fold" } },
      ],
      [
        "was ridden",
        { ...plainSlip(["k"]), moves: [{ track: "k", lane: makeLane("m", "fader", [{ tick: 0, value: -6 }]) }] },
      ],
      ["read a second time", { ...plainSlip(["k"]), of: { what: "pad", device: "kit", pad: 0, velocities: "each" } }],
      ["16 bits", { ...plainSlip(["k"]), depth: "16" }],
      ["outside the range", { ...plainSlip(["k"]), range: { by: "saved", range: "r" } }],
    ];
    for (const [why, slip] of told) expect(reason(slip)).toContain(why);
    const perhaps: readonly (readonly [string, Slip])[] = [
      ["above full scale", { ...plainSlip(["k"]), depth: "24" }],
      ["both channels have in common", { ...plainSlip(["k"]), channels: "mono" }],
      ["tail is left out", { ...plainSlip(["k"]), tail: "none" }],
      ["rings into the range", { ...plainSlip(["k"]), range: { by: "saved", range: "r" }, afterwards: "replace" }],
    ];
    for (const [why, slip] of perhaps) {
      expect(reason(slip)).toContain(why);
      expect(planned(session, slip).certain).toBe(false);
    }
    const unheard: readonly Slip[] = [
      { ...plain, placed: "shelf" },
      { ...plain, placed: "pad", pad: { track: "k", device: "kit", pad: 4 }, afterwards: "keep live" },
      { ...plain, tracks: ["mix"], tap: "mix" },
      { ...plainSlip(["k"]), afterwards: "keep live" },
    ];
    for (const slip of unheard)
      expect([planned(session, slip).heard, planned(session, slip).differs]).toEqual([false, null]);
  });
});

describe("files for elsewhere", () => {
  const session = makeSession({
    assets: recordedAssets,
    tracks: [
      makeTrack({
        id: "a",
        name: "Rope",
        kind: "audio",
        clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: 9000 })],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });

  test("two mono files and another rate go to the shelf, and are refused on a track", () => {
    expect(
      planned(session, { ...plainSlip(["a"]), channels: "two mono", placed: "shelf" }).files.map((f) => [
        f.name,
        f.side,
      ]),
    ).toEqual([
      ["Rope print left", "left"],
      ["Rope print right", "right"],
    ]);
    expect(refusal(session, { ...plainSlip(["a"]), channels: "two mono" })).toContain("onto the shelf");
    expect(refusal(session, { ...plainSlip(["a"]), rate: 44100 })).toContain("onto the shelf");
  });
});
