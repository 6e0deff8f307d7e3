import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeNoteClip, makeSend, makeSession, makeTrack } from "../session/build";
import type { Session, Track } from "../session/document";
import { asHeard } from "../session/solo";
import type { Heard } from "../testing/listen";
import { MIX_OUT, collected, differenceDb, hashOf, joined, listen } from "../testing/listen";
import { randomSessions, recordedAssets, recordings } from "../testing/random-session";
import { CheckpointMisfit } from "./checkpoint";
import { GLIDE } from "./automation";
import { levelChanges, withLevels } from "./levels";
import type { LiveOptions } from "./live";
import { LiveMix } from "./live";

const BLOCK = 256;
const LENGTH = 60000;
const none: ReadonlySet<string> = new Set();

/** Plays a session live from a frame on; `hand` may change it before any block. */
function play(
  session: Session,
  at = 0,
  frames = LENGTH,
  soloed = none,
  hand: (mix: LiveMix) => void = () => undefined,
): Heard {
  const mix = new LiveMix({ session, soloed, library: recordings, at, blockFrames: BLOCK, pass: 0, now: () => 0 });
  const left: Float32Array[] = [],
    right: Float32Array[] = [];
  while (mix.at < at + frames) {
    if (!mix.warmingUp) hand(mix);
    mix.render((l, r, offset, count) => {
      left.push(l.slice(offset, offset + count));
      right.push(r.slice(offset, offset + count));
    });
  }
  return { left: joined(left).slice(0, frames), right: joined(right).slice(0, frames) };
}
const printed = (session: Session, from = 0, frames = LENGTH): Heard =>
  listen(session, [MIX_OUT], { library: recordings, from, to: from + frames, tail: "none", pass: 0 })[0]!;
/** Calls `change` once, at the first block that begins at or after a frame. */
const once = (frame: number, change: (mix: LiveMix) => void) => {
  let done = false;
  return (mix: LiveMix) => {
    if (done || mix.at < frame) return;
    done = true;
    change(mix);
  };
};
const edited = (session: Session, id: string, patch: Partial<Track>): Session => ({
  ...session,
  tracks: session.tracks.map((t) => (t.id === id ? { ...t, ...patch } : t)),
});
const part = ({ left, right }: Heard, from: number, to?: number): Heard => ({
  left: left.slice(from, to),
  right: right.slice(from, to),
});

/** Noise on two tracks, one with a send to a return; nothing that remembers but an EQ. */
const session = makeSession({
  assets: recordedAssets,
  tracks: [
    makeTrack({
      id: "a",
      name: "A",
      kind: "audio",
      faderDb: -12,
      sends: [makeSend("s", "r", -6, "before fader")],
      clips: [
        makeAudioClip({ id: "c1", asset: hashOf(1), start: 0, frames: 48000 }),
        makeAudioClip({ id: "c2", asset: hashOf(2), start: 48000, frames: 48000 }),
      ],
      devices: [makeDevice("e", "eq", { bell1Db: 0, bell1Hz: 300 })],
    }),
    makeTrack({
      id: "b",
      name: "B",
      kind: "audio",
      output: "g",
      faderDb: -9,
      clips: [
        makeAudioClip({ id: "c3", asset: hashOf(3), start: 0, frames: 48000 }),
        makeAudioClip({ id: "c4", asset: hashOf(1), start: 48000, frames: 48000 }),
      ],
      devices: [makeDevice("u", "utility", { gainDb: -3 })],
    }),
    makeTrack({ id: "g", name: "G", kind: "group" }),
    makeTrack({
      id: "r",
      name: "R",
      kind: "return",
      faderDb: -6,
      devices: [makeDevice("w", "utility", { width: 40 })],
    }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});

describe("playing", () => {
  test("from the session's zero it is a print of the mix, bit for bit", () => {
    fc.assert(
      fc.property(randomSessions(), (s) => {
        const [live, print] = [play(s, 0, 40000), printed(s, 0, 40000)];
        expect(differenceDb(live, print)).toBe(-Infinity);
      }),
      { numRuns: 14, seed: 41 },
    );
  });

  test("from a checkpoint that was taken while it played, it is the print again, bit for bit", () => {
    fc.assert(
      fc.property(randomSessions(), fc.nat(100), fc.nat(3000), (s, taken, ahead) => {
        const options = { session: s, soloed: none, library: recordings, blockFrames: BLOCK, pass: 0, now: () => 0 };
        const before = new LiveMix({ ...options, at: 0 });
        for (let block = 0; block < 20 + taken; block++) before.render(() => undefined);
        const begin = before.checkpoint();
        if (!begin) throw new Error("it plays from the session's zero, untouched");
        const at = begin.clock + ahead;
        const heard = collected((sink) => {
          const mix = new LiveMix({ ...options, at, begin });
          expect(mix.isExact).toBe(true);
          while (mix.at < at + 12_000) mix.render(sink);
        });
        expect(differenceDb(part(heard, 0, 12_000), printed(s, at, 12_000))).toBe(-Infinity);
      }),
      { numRuns: 14, seed: 43 },
    );
  });

  test("touched, soloed, or with a pre-roll it has no checkpoint; one of another graph is refused", () => {
    const options = { session, library: recordings, blockFrames: BLOCK, pass: 0, now: () => 0 };
    const of = (more: Partial<LiveOptions>) => new LiveMix({ ...options, soloed: none, at: 0, ...more });
    expect(of({ soloed: new Set(["a"]) }).checkpoint()).toBeNull();
    expect(of({ at: 200_000 }).checkpoint()).toBeNull();
    expect(of({ at: 200_000, begin: "zero" }).checkpoint()).not.toBeNull();
    const mix = of({});
    mix.change({ ...session, name: "Other" }, none);
    const begin = mix.checkpoint();
    expect(begin).not.toBeNull();
    mix.change(edited(session, "a", { faderDb: -3 }), none);
    expect(mix.checkpoint()).toBeNull();
    const other = edited(session, "a", { devices: [makeDevice("v", "reverb")] });
    expect(() => of({ session: other, begin: begin ?? "zero" })).toThrow(CheckpointMisfit);
  });

  test("from anywhere else it lacks only what would still ring from before the pre-roll", () => {
    const s = makeSession({
      ...session,
      tracks: session.tracks.map((t) => ({
        ...t,
        clips: t.clips.map((c) => (c.kind === "audio" ? { ...c, start: c.start + 100_000 } : c)),
      })),
    });
    expect(differenceDb(play(s, 120_001, 30000), printed(s, 120_001, 30000))).toBeLessThan(-140);
  });

  test("a note that is held into the pre-roll began where it is written", () => {
    const phrase = { id: "p", name: "P", ticks: 9600, notes: [{ tick: 0, ticks: 9600, pitch: 50, velocity: 90 }] };
    const pad = (more: Partial<Track>) =>
      makeSession({
        phrases: [phrase],
        tracks: [
          makeTrack({
            id: "a",
            name: "A",
            kind: "instrument",
            clips: [makeNoteClip("n", phrase, 0)],
            devices: [makeDevice("i", "synth", { attackS: 1 })],
            ...more,
          }),
          makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
        ],
      });
    // At 120 to the minute the note lasts five seconds.
    const at = Math.round(3.7 * 48000);
    expect(differenceDb(play(pad({}), at, 20000), printed(pad({}), at, 20000))).toBe(-Infinity);
  });

  test("inside a clip with effects of its own it begins with the pre-roll, not with the clip", () => {
    const clip = {
      ...makeAudioClip({ id: "c", asset: hashOf(9), start: 0, frames: 480_000 }),
      process: [makeDevice("p", "saturator", { driveDb: 6 })],
    };
    const s = edited(
      { ...session, assets: [...recordedAssets, { ...recordedAssets[0]!, id: hashOf(9), frames: 480_000 }] },
      "a",
      { clips: [clip] },
    );
    const asked: number[] = [];
    const library: typeof recordings = (hash, reshape) =>
      hash !== hashOf(9)
        ? recordings(hash, reshape)
        : {
            frames: 480_000,
            channels: 2,
            read(from, count, left, right, offset) {
              asked.push(from);
              for (let i = 0; i < count; i++) left[offset + i] = right[offset + i] = ((from + i) % 100) / 200;
            },
          };
    const mix = new LiveMix({
      session: s,
      soloed: none,
      library,
      at: 400_000,
      blockFrames: BLOCK,
      pass: 0,
      now: () => 0,
    });
    while (mix.at < 410_000) mix.render(() => undefined);
    expect(Math.min(...asked)).toBeGreaterThanOrEqual(400_000 - 2 * 48000 - BLOCK);
  });

  test("with something soloed it is a print of what is heard then", () => {
    const soloed = new Set(["b"]);
    expect(differenceDb(play(session, 0, 30000, soloed), printed(asHeard(session, soloed), 0, 30000))).toBe(-Infinity);
    expect(differenceDb(play(session, 0, 30000, soloed), printed(session, 0, 30000))).toBeGreaterThan(-30);
  });
});

describe("hands on it", () => {
  const at = 20_000;
  // What plays may be a block and a glide behind the hand.
  const after = at + 2 * BLOCK + GLIDE;
  const changes: readonly {
    readonly name: string;
    readonly changed: Session;
    readonly soloed?: ReadonlySet<string>;
  }[] = [
    { name: "a fader", changed: edited(session, "a", { faderDb: -3 }) },
    { name: "a pan", changed: edited(session, "b", { pan: -0.7 }) },
    { name: "a mute", changed: edited(session, "a", { mute: true }) },
    { name: "a group's fader", changed: edited(session, "g", { faderDb: -20 }) },
    { name: "a send", changed: edited(session, "a", { sends: [makeSend("s", "r", -30, "before fader")] }) },
    { name: "a parameter", changed: edited(session, "b", { devices: [makeDevice("u", "utility", { gainDb: 4 })] }) },
    { name: "a solo", changed: session, soloed: new Set(["b"]) },
  ];
  test.each(changes)("$name: as before, then a glide, then as a print of the change", ({ changed, soloed = none }) => {
    const heard = play(
      session,
      0,
      LENGTH,
      none,
      once(at, (mix) => mix.change(changed, soloed)),
    );
    expect(differenceDb(part(heard, 0, at), part(printed(session), 0, at))).toBe(-Infinity);
    // An EQ on the way remembers nothing here: its bell stands at 0 dB.
    expect(differenceDb(part(heard, after), part(printed(asHeard(changed, soloed)), after))).toBe(-Infinity);
    expect(differenceDb(part(heard, at, after), part(printed(session), at, after))).toBeGreaterThan(-60);
  });

  test("a bell that is raised and put back leaves nothing behind", () => {
    const raised = edited(session, "a", { devices: [makeDevice("e", "eq", { bell1Db: 9, bell1Hz: 300 })] });
    const down = once(at + 8000, (mix) => mix.change(session, none));
    const up = once(at, (mix) => mix.change(raised, none));
    const heard = play(session, 0, LENGTH, none, (mix) => {
      up(mix);
      down(mix);
    });
    expect(differenceDb(part(heard, 24_000, 26_000), part(printed(raised), 24_000, 26_000))).toBeLessThan(-120);
    expect(differenceDb(part(heard, 24_000, 26_000), part(printed(session), 24_000, 26_000))).toBeGreaterThan(-40);
    expect(differenceDb(part(heard, 58_000), part(printed(session), 58_000))).toBe(-Infinity);
  });

  test("moves far and fast make no jump", () => {
    const alone = edited(edited(session, "b", { mute: true }), "a", { sends: [] });
    let turn = 0;
    const heard = play(edited(alone, "a", { faderDb: 0 }), 0, 30_000, none, (mix) =>
      mix.change(edited(alone, "a", { faderDb: turn++ % 2 === 0 ? -60 : 0 }), none),
    );
    const still = play(edited(alone, "a", { faderDb: 0 }), 0, 30_000);
    // The gain of the moving one over the still one, where the still one is loud enough to tell.
    const gains = [...heard.left].map((x, i) => (Math.abs(still.left[i]!) > 0.05 ? x / still.left[i]! : null));
    const steps = gains.flatMap((g, i) =>
      g !== null && gains[i - 1] !== null && i > 0 ? [Math.abs(g - (gains[i - 1] as number))] : [],
    );
    expect(steps.length).toBeGreaterThan(1000);
    expect(Math.max(...steps)).toBeLessThan(1 / GLIDE + 0.0001);
  });

  test("a mute and a solo are silent within half a glide, without a jump", () => {
    const alone = edited(edited(session, "b", { mute: true }), "a", { sends: [] });
    const still = play(alone, 0, 30_000);
    const shut = [
      once(at, (mix) => mix.change(edited(alone, "a", { mute: true }), none)),
      once(at, (mix) => mix.change(alone, new Set(["b"]))),
    ];
    for (const hand of shut) {
      const heard = play(alone, 0, 30_000, none, hand);
      const silent = heard.left.findLastIndex((x) => x !== 0) + 1;
      expect(silent).toBeGreaterThan(at + GLIDE / 4);
      expect(silent).toBeLessThanOrEqual(at + BLOCK + GLIDE / 2);
      const gains = [...heard.left].map((x, i) => (Math.abs(still.left[i]!) > 0.05 ? x / still.left[i]! : NaN));
      const steps = gains.map((g, i) => Math.abs(g - (gains[i - 1] ?? NaN))).filter((step) => !Number.isNaN(step));
      expect(Math.max(...steps)).toBeLessThan(2 / GLIDE + 0.0001);
    }
  });

  test("tells how loud every path is", () => {
    const mix = new LiveMix({
      session: edited(session, "b", { mute: true }),
      soloed: none,
      library: recordings,
      at: 0,
      blockFrames: BLOCK,
      pass: 0,
      now: () => 0,
    });
    const levels = new Float32Array(session.tracks.length);
    for (let i = 0; i < 40; i++) {
      mix.render(() => undefined);
      mix.levels(levels);
    }
    const [a, b, g, r, all] = levels as unknown as readonly [number, number, number, number, number];
    expect([b, g]).toEqual([0, 0]);
    expect(a).toBeGreaterThan(0.05);
    expect(r).toBeGreaterThan(0.01);
    expect(all).toBeGreaterThan(Math.max(a, r) * 0.7);
  });

  test("tells how far a device holds back: what its gains say, without make-up", () => {
    const squeezed = (thresholdDb: number) =>
      edited(session, "a", {
        devices: [makeDevice("c", "compressor", { thresholdDb, ratio: 20, kneeDb: 0, attackMs: 0.1, makeupDb: 12 })],
      });
    const told = (thresholdDb: number, device = "c") => {
      const mix = new LiveMix({
        session: squeezed(thresholdDb),
        soloed: none,
        library: recordings,
        at: 0,
        blockFrames: BLOCK,
        pass: 0,
        now: () => 0,
      });
      for (let i = 0; i < 40; i++) mix.render(() => undefined);
      return mix.heldBackDb(device);
    };
    // Twenty to one holds almost everything back that is above the threshold.
    expect(told(-40)).toBeLessThan(-10);
    expect(told(-40) - told(-30)).toBeCloseTo(-9.5, 0);
    expect(told(0)).toBe(0);
    expect(told(-40, "missing")).toBe(0);
  });
});

describe("what a playing mix can glide to", () => {
  const random = fc.tuple(randomSessions(), fc.nat(), fc.double({ min: -30, max: 0, noNaN: true }));
  test("levels, pans, mutes, parameters, names: yes", () => {
    fc.assert(
      fc.property(random, ([s, n, level]) => {
        const track = s.tracks[n % s.tracks.length]!;
        const moved = edited(s, track.id, {
          faderDb: level,
          pan: level / 40 || 0,
          mute: !track.mute,
          name: "Another",
          sends: track.sends.map((x) => ({ ...x, gainDb: level })),
        });
        const changes = levelChanges(s, JSON.parse(JSON.stringify(moved)) as Session);
        if (!changes) throw new Error("has to be a graph of its own");
        expect(changes.map((c) => c.track)).toEqual([track.id]);
        const told = withLevels(s, changes);
        expect(told.tracks.map((t) => ({ ...t, name: "" }))).toEqual(moved.tracks.map((t) => ({ ...t, name: "" })));
        expect(told.tracks.every((t, i) => t.id === track.id || t === s.tracks[i])).toBe(true);
      }),
      { numRuns: 30 },
    );
    expect(
      levelChanges(session, edited(session, "b", { devices: [makeDevice("u", "utility", { gainDb: 0, width: 10 })] })),
    ).toEqual([{ track: "b", params: { u: { gainDb: 0, width: 10 } } }]);
    expect(levelChanges(session, edited(session, "a", { faderDb: -3 }))).toEqual([{ track: "a", faderDb: -3 }]);
  });

  test("what is never heard: nothing to tell", () => {
    const unheard: readonly Session[] = [
      session,
      { ...session, name: "Other", markers: [{ id: "m", name: "Here", tick: 960 }] },
      edited(session, "a", { name: "Other", hidden: true, takes: [] }),
    ];
    for (const other of unheard) expect(levelChanges(session, other)).toEqual([]);
  });

  test("clips, routing, devices and what is fixed about them, time: no", () => {
    const [a] = session.tracks as [Track];
    const others: readonly Session[] = [
      edited(session, "a", { clips: a.clips.slice(1) }),
      edited(session, "a", { output: "g" }),
      edited(session, "a", { parked: true }),
      edited(session, "a", { sends: [] }),
      edited(session, "a", { sends: [makeSend("s", "r", -6, "after fader")] }),
      edited(session, "a", { devices: [{ ...a.devices[0]!, on: false }] }),
      edited(session, "a", { devices: [makeDevice("e", "eq", { cut: 1 })] }),
      { ...session, tempo: [{ tick: 0, bpm: 99, shape: "hold" }] },
      { ...session, tracks: [...session.tracks].reverse() },
    ];
    for (const other of others) expect(levelChanges(session, other)).toBeNull();
  });
});
