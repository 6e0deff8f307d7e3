import fc from "fast-check";
import { makeAudioClip, makeDevice, makeLane, makeNoteClip, makeSend, makeSession, makeTrack } from "../session/build";
import type { Automation, Phrase, Session, Track } from "../session/document";
import { hashOf, memoryLibrary, noise } from "./listen";

const SECOND = 48000;

/** Three recordings of a second of noise, and the library that finds them. */
export const recordings = memoryLibrary({ [hashOf(1)]: noise(SECOND, 1), [hashOf(2)]: noise(SECOND, 5), [hashOf(3)]: noise(SECOND, 9, 0.9) });
export const recordedAssets: Session["assets"] = [1, 2, 3].map((n) => ({ id: hashOf(n), name: `noise ${n}`, frames: SECOND, rate: SECOND, channels: 2, origin: "generated" as const }));

const chord: Phrase = { id: "chord", name: "Chord", ticks: 1920, notes: [48, 55, 64].map((pitch, i) => ({ tick: i * 240, ticks: 900, pitch, velocity: 96 })) };

const effects = {
  eq: { lowDb: 4, highDb: -3 }, compressor: { thresholdDb: -30, attackMs: 2 }, limiter: { ceilingDb: -12 }, reverb: { decayS: 0.4 }, utility: { width: 60 },
} as const;
const effectNames = Object.keys(effects) as (keyof typeof effects)[];

export interface RandomSessionOptions {
  /** Only devices that keep sums sums on groups and returns. */
  readonly linearAbove?: boolean;
}

/** Legal sessions of up to five tracks with groups in groups, returns with sends at both points, keys and automation. */
export const randomSessions = ({ linearAbove = false }: RandomSessionOptions = {}): fc.Arbitrary<Session> =>
  fc.record({
    tracks: fc.array(fc.record({
      kind: fc.constantFrom("audio" as const, "synth" as const, "bars" as const),
      devices: fc.array(fc.constantFrom(...effectNames), { maxLength: 3 }),
      keyed: fc.boolean(),
      output: fc.constantFrom("mix", "g1", "g2"),
      fader: fc.double({ min: -20, max: 3, noNaN: true }),
      pan: fc.double({ min: -1, max: 1, noNaN: true }),
      start: fc.nat(9000),
      send: fc.option(fc.record({ gain: fc.double({ min: -20, max: 0, noNaN: true }), position: fc.constantFrom("before fader" as const, "after fader" as const) })),
      ride: fc.array(fc.double({ min: -30, max: 6, noNaN: true }), { maxLength: 3 }),
      mute: fc.boolean(),
    }), { minLength: 1, maxLength: 4 }),
    above: fc.array(fc.constantFrom(...(linearAbove ? (["eq", "utility"] as const) : effectNames)), { maxLength: 2 }),
  }).map(({ tracks, above }) => {
    const made = tracks.map((t, i): Track => {
      const devices = t.devices.map((type, d) => makeDevice(`d${i}-${d}`, type, effects[type], t.keyed && type === "compressor" && i > 0 ? "t0" : null));
      const automation: Automation[] = t.ride.length > 0 ? [makeLane(`ride${i}`, "fader", t.ride.map((value, p) => ({ tick: p * 700, value, shape: p % 2 === 0 ? "linear" : "hold" })))] : [];
      const common = {
        id: `t${i}`, name: `Track ${i}`, output: t.output, faderDb: t.fader, pan: t.pan, automation, mute: t.mute && i > 0,
        sends: t.send ? [makeSend(`s${i}`, "hall", t.send.gain, t.send.position)] : [],
      };
      return t.kind === "audio"
        ? makeTrack({ ...common, kind: "audio", devices, clips: [makeAudioClip({ id: `c${i}`, asset: hashOf((i % 3) + 1), start: t.start, frames: 30000, offset: 500 * i, fadeOut: { frames: 4000, shape: "S" } })] })
        : makeTrack({ ...common, kind: "instrument", devices: [makeDevice(`i${i}`, t.kind, t.kind === "synth" ? { unison: 3, releaseS: 0.1, oversample: i % 2 === 0 ? 2 : 1 } : { decayS: 0.3 }), ...devices], clips: [makeNoteClip(`n${i}`, chord, 120 * i)] });
    });
    return makeSession({
      name: "Random", assets: recordedAssets, phrases: [chord],
      tracks: [
        ...made,
        makeTrack({ id: "g1", name: "Inner", kind: "group", output: "g2", faderDb: -1, devices: above.map((type, d) => makeDevice(`g1-${d}`, type, effects[type])) }),
        makeTrack({ id: "g2", name: "Outer", kind: "group", pan: 0.2, devices: above.slice(0, 1).map((type, d) => makeDevice(`g2-${d}`, type, effects[type])) }),
        makeTrack({ id: "hall", name: "Hall", kind: "return", devices: [makeDevice("h", "reverb", { decayS: 0.4 })] }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix", devices: [makeDevice("ml", "limiter", { ceilingDb: -6 })] }),
      ],
    });
  });
