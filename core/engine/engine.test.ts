import fc from "fast-check";
import { describe, expect, test } from "vitest";
import type { Session, Track } from "../session/document";
import { makeAudioClip, makeDevice, makeNoteClip, makeSend, makeSession, makeTrack } from "../session/build";
import { checkSession } from "../session/check";
import { MIX_IN, MIX_OUT, differenceDb, hashOf, listen, memoryLibrary, peakDb, sumOf, tapAt } from "../testing/listen";
import { randomSessions, recordedAssets as assets, recordings as library } from "../testing/random-session";
import { BrokenDevice, MissingAudio } from "./library";

const second = 48000;
const audio = (id: string, asset: number, more: Partial<Track> = {}) =>
  makeTrack({
    id,
    name: id,
    kind: "audio",
    clips: [makeAudioClip({ id: `${id}-c`, asset: hashOf(asset), start: 4800, frames: second })],
    ...more,
  });
const mix = (more: Partial<Track> = {}) => makeTrack({ id: "mix", name: "Mix", kind: "mix", ...more });
const session = (tracks: readonly Track[], more: Partial<Session> = {}) => {
  const made = makeSession({ tracks, assets, ...more });
  expect(checkSession(made)).toEqual([]);
  return made;
};
const chord = {
  id: "chord",
  name: "Chord",
  ticks: 3840,
  notes: [48, 55, 64].map((pitch, i) => ({ tick: i * 480, ticks: 1900, pitch, velocity: 96 })),
};
const synthTrack = (more: Partial<Track> = {}) =>
  makeTrack({
    id: "pad",
    name: "Pad",
    kind: "instrument",
    clips: [makeNoteClip("n", chord, 0)],
    devices: [makeDevice("s", "synth", { oversample: 4, releaseS: 0.3 })],
    ...more,
  });

describe("latency", () => {
  test("two identical tracks, one inverted through a lookahead limiter below its threshold, null", () => {
    const s = session([
      audio("a", 1),
      audio("b", 1, {
        devices: [
          makeDevice("l", "limiter", { ceilingDb: 0, lookaheadMs: 5 }),
          makeDevice("u", "utility", { invert: 1 }),
        ],
      }),
      mix(),
    ]);
    const [out, a] = listen(s, [MIX_OUT, tapAt("devices", "a")], { library });
    expect(peakDb(a!)).toBeGreaterThan(-13);
    expect(peakDb(out!)).toBeLessThanOrEqual(-140);
  });

  test("a key that arrives later than the signal it steers is waited for", () => {
    const keyed = (devices: Track["devices"]) =>
      session([
        audio("key", 2, { devices, mute: true }),
        audio("a", 1, { devices: [makeDevice("c", "compressor", { thresholdDb: -40, attackMs: 1 }, "key")] }),
        mix(),
      ]);
    const late = listen(keyed([makeDevice("l", "limiter", { ceilingDb: 0 })]), [MIX_OUT], { library });
    const plain = listen(keyed([]), [MIX_OUT], { library });
    expect(differenceDb(late[0]!, plain[0]!)).toBeLessThanOrEqual(-140);
  });

  test("what was at frame n on the timeline is at frame n of every print", () => {
    const s = session([
      audio("a", 1, { devices: [makeDevice("l", "limiter", { ceilingDb: 0, lookaheadMs: 10 })] }),
      mix({ devices: [makeDevice("m", "limiter", { ceilingDb: 0 })] }),
    ]);
    const dry = session([audio("a", 1), mix()]);
    for (const tap of [MIX_OUT, MIX_IN, tapAt("devices", "a"), tapAt("group", "a")]) {
      expect(differenceDb(listen(s, [tap], { library })[0]!, listen(dry, [tap], { library })[0]!)).toBeLessThanOrEqual(
        -140,
      );
    }
  });
});

describe("sums", () => {
  const busy = session(
    [
      audio("a", 1, { output: "g", faderDb: -3, pan: -0.4, sends: [makeSend("s1", "hall", -9)] }),
      audio("b", 2, { output: "g", faderDb: -6, sends: [makeSend("s2", "hall", -12, "before fader")] }),
      synthTrack({ sends: [makeSend("s3", "hall", -6)], pan: 0.3 }),
      makeTrack({
        id: "g",
        name: "Group",
        kind: "group",
        faderDb: -1,
        devices: [makeDevice("ge", "eq", { lowDb: 3, bell1Db: -4 })],
      }),
      makeTrack({ id: "hall", name: "Hall", kind: "return", devices: [makeDevice("h", "reverb", { decayS: 0.8 })] }),
      mix({ devices: [makeDevice("lim", "limiter", { ceilingDb: -3 })] }),
    ],
    { phrases: [chord] },
  );

  test("stems through linear groups, with the return as a stem of its own, add up to the mix before its chain", () => {
    const [before, ...stems] = listen(busy, [MIX_IN, ...["a", "b", "pad", "hall"].map((id) => tapAt("group", id))], {
      library,
    });
    expect(differenceDb(sumOf(stems), before!)).toBeLessThanOrEqual(-120);
  });

  test("stems with their returns baked in add up too", () => {
    const taps = ["a", "b", "pad"].map((id) => ({ ...tapAt("group", id), returns: true }) as const);
    const [before, ...stems] = listen(busy, [MIX_IN, ...taps], { library });
    expect(differenceDb(sumOf(stems), before!)).toBeLessThanOrEqual(-120);
  });

  test("a stem of two tracks is the sum of their stems", () => {
    const [both, a, b] = listen(busy, [tapAt("group", "a", "b"), tapAt("group", "a"), tapAt("group", "b")], {
      library,
    });
    expect(differenceDb(both!, sumOf([a!, b!]))).toBeLessThanOrEqual(-130);
  });

  test("every file of a pass has the same length, and it ends quiet", () => {
    const heard = listen(busy, [MIX_OUT, tapAt("group", "hall"), tapAt("group", "a")], { library });
    expect(new Set(heard.map((h) => h.left.length)).size).toBe(1);
    const end = heard[0]!.left.length;
    expect(
      peakDb({ left: heard[0]!.left.slice(end - 24000), right: heard[0]!.right.slice(end - 24000) }),
    ).toBeLessThanOrEqual(-90);
  });

  test("a frozen track in the mix nulls against the live one", () => {
    const [print, live] = listen(busy, [tapAt("devices", "pad"), MIX_OUT], { library });
    const frozen: Session = {
      ...busy,
      assets: [
        ...busy.assets,
        { id: hashOf(9), name: "pad", frames: print!.left.length, rate: 48000, channels: 2, origin: "printed" },
      ],
      tracks: busy.tracks.map((t) =>
        t.id === "pad" ? { ...t, frozen: { asset: hashOf(9), fingerprint: hashOf(0) } } : t,
      ),
    };
    const withPrint = (hash: string) => (hash === hashOf(9) ? memoryLibrary({ [hash]: print! })(hash) : library(hash));
    expect(differenceDb(listen(frozen, [MIX_OUT], { library: withPrint })[0]!, live!)).toBeLessThanOrEqual(-140);
  });

  test("a parked track is not heard, a muted one still steers its key", () => {
    const solo = session([audio("a", 1, { parked: true }), mix()]);
    expect(peakDb(listen(solo, [MIX_OUT], { library, to: second })[0]!)).toBe(-Infinity);
  });
});

describe("determinism", () => {
  const bytes = (h: { left: Float32Array; right: Float32Array }) =>
    [h.left, h.right].map((x) => Buffer.from(x.buffer, x.byteOffset, x.byteLength));

  test("block size never changes a byte", () => {
    fc.assert(
      fc.property(randomSessions(), (s) => {
        const taps = [MIX_OUT, MIX_IN, tapAt("group", "t0"), tapAt("devices", "t0")];
        const [small, usual, large] = [64, 512, 4096].map((blockFrames) =>
          listen(s, taps, { library, blockFrames }).flatMap(bytes),
        );
        small!.forEach((b, i) => {
          expect(b.equals(usual![i]!)).toBe(true);
          expect(b.equals(large![i]!)).toBe(true);
        });
      }),
      { numRuns: 12, seed: 1 },
    );
  });

  const anyNotes = fc.array(
    fc.record({
      tick: fc.nat(1900),
      ticks: fc.integer({ min: 1, max: 900 }),
      pitch: fc.integer({ min: 30, max: 90 }),
      velocity: fc.integer({ min: 1, max: 127 }),
    }),
    { minLength: 1, maxLength: 6 },
  );
  const instruments = [
    ...[1, 2, 4].flatMap((oversample) =>
      [0, 40].map((pulse) =>
        makeDevice("s", "synth", { oversample, pulse, sub: 30, vibrato: 20, attackS: 0.01, releaseS: 0.1 }),
      ),
    ),
    ...["fm", "string", "bars"].map((type) => makeDevice("s", type)),
  ];
  test.each(instruments)("notes begin and end anywhere between the edges of blocks: $type $params", (device) => {
    fc.assert(
      fc.property(anyNotes, (notes) => {
        const phrase = { ...chord, notes };
        const s = session([synthTrack({ clips: [makeNoteClip("n", phrase, 0)], devices: [device] }), mix()], {
          phrases: [phrase],
        });
        const [small, usual, large] = [64, 1024, 4096].map((blockFrames) =>
          listen(s, [tapAt("devices", "pad")], { library, tail: "none", to: 60000, blockFrames }).flatMap(bytes),
        );
        expect(small!.every((x, i) => x.equals(usual![i]!) && x.equals(large![i]!))).toBe(true);
      }),
      { numRuns: 8, seed: 11 },
    );
  });

  test("a range that starts in the middle is cut from the whole", () => {
    fc.assert(
      fc.property(randomSessions(), fc.integer({ min: 1, max: 30000 }), (s, from) => {
        const whole = listen(s, [MIX_OUT], { library })[0]!;
        const part = listen(s, [MIX_OUT], { library, from })[0]!;
        expect(bytes(part)[0]!.equals(bytes({ left: whole.left.slice(from), right: whole.right })[0]!)).toBe(true);
      }),
      { numRuns: 8, seed: 2 },
    );
  });

  test("tapping more or fewer points never changes a byte", () => {
    fc.assert(
      fc.property(randomSessions(), (s) => {
        const alone = listen(s, [tapAt("group", "t0")], { library, tail: "none", to: 40000 })[0]!;
        const among = listen(s, [MIX_OUT, tapAt("group", "t0"), tapAt("channel", "t0", "hall")], {
          library,
          tail: "none",
          to: 40000,
        })[1]!;
        expect(bytes(alone)[0]!.equals(bytes(among)[0]!)).toBe(true);
      }),
      { numRuns: 8, seed: 3 },
    );
  });
});

describe("load", () => {
  test("freezing the expensive synth cuts its measured load ten times or more", () => {
    const s = session([synthTrack({ devices: [makeDevice("s", "synth", { oversample: 4, unison: 9 })] }), mix()], {
      phrases: [chord],
    });
    // The quickest of several: whatever else the machine does only ever adds to a time.
    const spent = (of: Session, lib = library) => Math.min(...Array.from({ length: 9 }, () => loadOf(of, lib)));
    const print = listen(s, [tapAt("devices", "pad")])[0]!;
    const frozen: Session = {
      ...s,
      assets: [
        ...s.assets,
        { id: hashOf(9), name: "pad", frames: print.left.length, rate: 48000, channels: 2, origin: "printed" },
      ],
      tracks: s.tracks.map((t) =>
        t.id === "pad" ? { ...t, frozen: { asset: hashOf(9), fingerprint: hashOf(0) } } : t,
      ),
    };
    expect(spent(s) / spent(frozen, memoryLibrary({ [hashOf(9)]: print }))).toBeGreaterThan(10);
  });
});

describe("faults", () => {
  test("audio that is missing is named", () => {
    expect(() => listen(session([audio("a", 1), mix()]), [MIX_OUT])).toThrow(MissingAudio);
  });

  test("an invalid sample stops the render and names the device", () => {
    const broken = memoryLibrary({
      [hashOf(1)]: { left: new Float32Array(second).fill(NaN), right: new Float32Array(second) },
    });
    const s = session([audio("a", 1, { devices: [makeDevice("e", "eq", { lowDb: 1 })] }), mix()]);
    expect(() => listen(s, [MIX_OUT], { library: broken })).toThrow(BrokenDevice);
  });
});

function loadOf(session: Session, library: ReturnType<typeof memoryLibrary>): number {
  const began = process.cpuUsage();
  listen(session, [tapAt("channel", "pad")], { library, tail: "none", to: 2 * second });
  const used = process.cpuUsage(began);
  return used.user + used.system;
}
