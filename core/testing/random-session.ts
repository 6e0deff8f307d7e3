import fc from "fast-check";
import type { Params } from "../devices/device";
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
import type { AudioClip, Automation, Clip, Layer, Phrase, Session, Track } from "../session/document";
import { MissingAudio } from "../engine/library";
import type { Reshape } from "../session/clips";
import { reshapeKey, reshapeOf } from "../session/clips";
import { stretchedFrames } from "../session/bend";
import { reshapeAudio } from "../stretch/reshape";
import { makeStretcher } from "../stretch/stretcher";
import type { Heard } from "./listen";
import { ownInstrument } from "./own-instrument";
import { collected, hashOf, memoryLibrary, noise } from "./listen";

const SECOND = 48000;

/** Three recordings of a second of noise. */
export const sounds = {
  [hashOf(1)]: noise(SECOND, 1),
  [hashOf(2)]: noise(SECOND, 5),
  [hashOf(3)]: noise(SECOND, 9, 0.9),
};

/** How clips bend each of the recordings, where they do: stretched, transposed, or with marks and a line of pitch. */
const bends: readonly Partial<AudioClip>[] = [
  { stretch: 1.25 },
  { stretch: 0.9, transposeCents: 300 },
  {
    timeMarks: [
      { at: 12_000, to: 15_000 },
      { at: 30_000, to: 29_000 },
    ],
    pitchLine: [
      { at: 5000, cents: -100 },
      { at: 25_000, cents: 400 },
    ],
  },
];
const bentClip = (n: number): AudioClip =>
  makeAudioClip({ id: "bent", asset: hashOf(n), start: 0, frames: 1, ...bends[n - 1] });

/** Stretching is made ready beforehand, as that cannot be waited for where audio is looked for, and done when asked. */
const stretchers = await Promise.all(bends.map(() => makeStretcher(SECOND)));
const bentSounds: (Heard | undefined)[] = [];

function bentSound(reshape: Reshape): Heard {
  const n = Number.parseInt(reshape.asset, 16);
  const stretcher = stretchers[n - 1];
  const own = reshapeOf(bentClip(n));
  if (!stretcher || !own || reshapeKey(own) !== reshapeKey(reshape)) throw new MissingAudio(reshape.asset);
  return (bentSounds[n - 1] ??= collected((sink) =>
    reshapeAudio(memoryLibrary(sounds)(reshape.asset), reshape, stretcher, sink),
  ));
}

/** The library that finds the recordings, as they are and as clips bend them. */
export const recordings = memoryLibrary(sounds, bentSound);

export const recordedAssets: Session["assets"] = [1, 2, 3].map((n) => ({
  id: hashOf(n),
  name: `noise ${n}`,
  frames: SECOND,
  rate: SECOND,
  channels: 2,
  origin: "generated" as const,
}));

const chord: Phrase = {
  id: "chord",
  name: "Chord",
  ticks: 1920,
  notes: [48, 55, 64].map((pitch, i) => ({ tick: i * 240, ticks: 900, pitch, velocity: 60 + 30 * i })),
};

/** Effects with settings that are quick to fall silent; between them every kind there is. */
const effects: Readonly<Record<string, Params>> = {
  eq: { lowDb: 4, highDb: -3 },
  compressor: { thresholdDb: -30, attackMs: 2, lookaheadMs: 1 },
  limiter: { ceilingDb: -12 },
  reverb: { decayS: 0.3 },
  utility: { width: 60 },
  filter: { cutoffHz: 900 },
  gate: { thresholdDb: -30, releaseMs: 20 },
  saturator: { driveDb: 9 },
  delay: { beats: 0.25, feedback: 15 },
  convolution: { decayS: 0.2 },
  chorus: {},
  tremolo: { rateHz: 7 },
  pitch: { semitones: 3 },
};
/** What lies on a track of audio. */
const CLIPS = [
  ...["plain", "crossfade", "reverse", "processed", "ringing", "ringing before another", "nest", "muted"],
  ...["layered", "bent", "bent in a nest"],
];
const LINEAR = ["eq", "utility", "filter", "tremolo", "chorus"];
const DYNAMIC = ["compressor", "limiter", "gate"];
const instruments: Readonly<Record<string, Params>> = {
  synth: { unison: 3, releaseS: 0.1, oversample: 2 },
  bars: { decayS: 0.3 },
  fm: { releaseS: 0.1 },
  string: { muteS: 0.1 },
  kit: {},
  sampler: { releaseS: 0.05 },
  sampled: {},
};
/** A parameter of each device that may move, with two values it moves between. */
const moves: Readonly<Record<string, readonly [param: string, from: number, to: number]>> = {
  eq: ["bell1Db", -6, 6],
  compressor: ["makeupDb", 0, 6],
  limiter: ["ceilingDb", -18, -6],
  reverb: ["wet", 20, 90],
  utility: ["gainDb", -9, 3],
  filter: ["cutoffHz", 200, 6000],
  gate: ["thresholdDb", -50, -20],
  saturator: ["driveDb", 0, 18],
  delay: ["wet", 0, 60],
  convolution: ["wet", 0, 80],
  chorus: ["depthMs", 1, 5],
  tremolo: ["depth", 0, 80],
  pitch: ["semitones", -2, 5],
  synth: ["cutoffHz", 300, 5000],
  fm: ["index", 1, 6],
  bars: ["hardness", 10, 90],
  string: ["brightness", 20, 90],
  kit: ["level", 40, 90],
  sampler: ["level", 30, 90],
  sampled: ["bend", -200, 150],
};

export interface RandomSessionOptions {
  /**
   * What stands on groups and returns: anything, what keeps sums sums, or also dynamics, which do when shares are
   * linked.
   */
  readonly above?: "any" | "linear" | "linkable";
}

/** Evenly spread in hundredths: doubles drawn by their bits are next to zero nearly always. */
const db = (min: number, max: number) =>
  fc.integer({ min: Math.round(100 * min), max: Math.round(100 * max) }).map((v) => v / 100);
const shape = fc.constantFrom("hold" as const, "linear" as const, "curved" as const);
const points = (min: number, max: number) =>
  fc.array(fc.record({ value: db(min, max), shape, bend: db(-1, 1) }), { minLength: 1, maxLength: 3 });

/**
 * Legal sessions of up to four tracks with groups in groups, returns with sends at both points, keys, every kind of
 * clip and of automation.
 */
export const randomSessions = ({ above = "any" }: RandomSessionOptions = {}): fc.Arbitrary<Session> =>
  fc
    .record({
      tempo: fc.constantFrom(
        [{ tick: 0, bpm: 120, shape: "hold" as const }],
        [
          { tick: 0, bpm: 140, shape: "ramp" as const },
          { tick: 1500, bpm: 90, shape: "hold" as const },
        ],
      ),
      tracks: fc.array(
        fc.record({
          kind: fc.constantFrom("audio", "audio", ...Object.keys(instruments)),
          devices: fc.array(fc.constantFrom(...Object.keys(effects)), { maxLength: 3 }),
          moving: fc.boolean(),
          keyed: fc.boolean(),
          output: fc.constantFrom("mix", "g1", "g2"),
          fader: db(-20, 3),
          pan: db(-1, 1),
          start: fc.nat(9000),
          clips: fc.constantFrom(...CLIPS),
          loop: fc.boolean(),
          send: fc.option(
            fc.record({
              gain: db(-20, 0),
              position: fc.constantFrom("before fader" as const, "after fader" as const),
              ride: fc.option(points(-30, 0)),
            }),
          ),
          ride: fc.option(points(-30, 6)),
          swing: fc.option(points(-1, 1)),
          muting: fc.option(points(0, 1)),
          mute: fc.boolean(),
        }),
        { minLength: 1, maxLength: 4 },
      ),
      above: fc.array(
        fc.constantFrom(
          ...(above === "any" ? Object.keys(effects) : above === "linear" ? LINEAR : [...LINEAR, ...DYNAMIC]),
        ),
        { maxLength: 2 },
      ),
    })
    .map(({ tempo, tracks, above: upper }) => {
      const laneOf = (
        id: string,
        target: Automation["target"],
        list: readonly { value: number; shape: "hold" | "linear" | "curved"; bend: number }[] | null | undefined,
        of: string | null = null,
      ) =>
        list
          ? [
              makeLane(
                id,
                target,
                list.map((p, i) => ({ ...p, tick: i * 700 })),
                of,
              ),
            ]
          : [];
      const made = tracks.map((t, i): Track => {
        const isAudio = t.kind === "audio";
        const devices = [
          ...(isAudio
            ? []
            : [
                {
                  ...makeDevice(
                    `i${i}`,
                    t.kind,
                    instruments[t.kind],
                    null,
                    t.kind === "kit" || t.kind === "sampler"
                      ? [layer("a", t.kind === "kit" ? 12 : 0, 1), layer("b", t.kind === "kit" ? 12 : 0, 2)]
                      : [],
                  ),
                  instrument: t.kind === "sampled" ? ownInstrument.id : null,
                },
              ]),
          ...t.devices.map((type, d) =>
            makeDevice(
              `d${i}-${d}`,
              type,
              effects[type],
              t.keyed && (type === "compressor" || type === "gate") && i > 0 ? "t0" : null,
            ),
          ),
        ];
        const moved = t.moving
          ? devices.flatMap((d) => {
              const move = moves[d.type];
              return move
                ? [
                    makeLane(
                      `m-${d.id}`,
                      "param",
                      [
                        { tick: 0, value: move[1], shape: "curved", bend: 0.4 },
                        { tick: 900, value: move[2] },
                        { tick: 1600, value: move[1] },
                      ],
                      d.id,
                      move[0],
                    ),
                  ]
                : [];
            })
          : [];
        return makeTrack({
          id: `t${i}`,
          name: `Track ${i}`,
          kind: isAudio ? "audio" : "instrument",
          output: t.output,
          faderDb: t.fader,
          pan: t.pan,
          mute: t.mute && i > 0,
          devices,
          automation: [
            ...laneOf(`ride${i}`, "fader", t.ride),
            ...laneOf(`swing${i}`, "pan", t.swing),
            ...laneOf(`mute${i}`, "mute", t.muting),
            ...laneOf(`sr${i}`, "send", t.send?.ride, `s${i}`),
            ...moved,
          ],
          sends: t.send ? [makeSend(`s${i}`, "hall", t.send.gain, t.send.position)] : [],
          clips: isAudio
            ? audioClipsOf(t.clips, i, t.start)
            : [{ ...makeNoteClip(`n${i}`, chord, 120 * i, t.loop ? 3000 : 1920), offset: t.loop ? 300 : 0 }],
        });
      });
      return makeSession({
        name: "Random",
        assets: recordedAssets,
        instruments: [ownInstrument],
        phrases: [chord],
        tempo,
        tracks: [
          ...made,
          makeTrack({
            id: "g1",
            name: "Inner",
            kind: "group",
            output: "g2",
            faderDb: -1,
            devices: upper.map((type, d) => makeDevice(`g1-${d}`, type, effects[type])),
          }),
          makeTrack({
            id: "g2",
            name: "Outer",
            kind: "group",
            pan: 0.2,
            devices: upper.slice(0, 1).map((type, d) => makeDevice(`g2-${d}`, type, effects[type])),
          }),
          makeTrack({
            id: "hall",
            name: "Hall",
            kind: "return",
            devices: [makeDevice("h", "reverb", { decayS: 0.4 })],
          }),
          makeTrack({ id: "mix", name: "Mix", kind: "mix", devices: [makeDevice("ml", "limiter", { ceilingDb: -6 })] }),
        ],
      });
    });

const layer = (id: string, pad: number, asset: number): Layer => ({
  id,
  pad,
  asset: hashOf(asset),
  gainDb: -6,
  cents: id === "a" ? 0 : 300,
  softest: 1,
  loudest: id === "a" ? 127 : 100,
});

/** A clip of a recording as it is bent, with a beginning and an end inside of that. */
function bent(clip: AudioClip): AudioClip {
  const own = { ...clip, ...bends[Number.parseInt(clip.asset, 16) - 1] };
  return { ...own, frames: Math.min(30_000, stretchedFrames(SECOND, own) - clip.offset) };
}

function audioClipsOf(kind: string, i: number, start: number): readonly Clip[] {
  const clip = makeAudioClip({
    id: `c${i}`,
    asset: hashOf((i % 3) + 1),
    start,
    frames: 30000,
    offset: 500 * i,
    fadeOut: { frames: 4000, shape: (["S", "slow", "quick"] as const)[i % 3] ?? "S" },
  });
  switch (kind) {
    case "crossfade":
      return [
        { ...clip, frames: 20000 },
        {
          ...clip,
          id: `c${i}x`,
          start: start + 15000,
          frames: 16000,
          fadeIn: { frames: 5000, shape: "equal power" },
          crossfade: true,
          gainDb: -3,
        },
      ];
    case "layered":
      return [
        { ...clip, frames: 20000 },
        { ...clip, id: `c${i}l`, start: start + 8000, frames: 18000, layered: true, gainDb: -2 },
      ];
    case "bent":
      return [bent(clip)];
    case "bent in a nest":
      return [
        makeNest({
          id: `x${i}`,
          start,
          offset: 300,
          frames: 28000,
          children: [
            { ...bent(clip), start: 0 },
            { ...clip, id: "above", start: 22000, frames: 8000 },
          ],
        }),
      ];
    case "muted":
      return [clip, { ...clip, id: `c${i}m`, start: start + 9000, frames: 12000, muted: true }];
    case "reverse":
      return [{ ...clip, reverse: true }];
    case "processed":
      return [
        {
          ...clip,
          process: [
            makeDevice("p1", "saturator", { driveDb: 6 }),
            makeDevice("p2", "delay", { beats: 0.125, feedback: 20, wet: 50 }),
          ],
        },
      ];
    case "ringing":
      return [
        { ...clip, frames: 24000, ringsOn: true, process: [makeDevice("p1", "delay", { beats: 0.25, feedback: 45 })] },
      ];
    case "ringing before another":
      return [
        { ...clip, frames: 16000, ringsOn: true, process: [makeDevice("p1", "delay", { beats: 0.25, feedback: 45 })] },
        { ...clip, id: `c${i}n`, start: start + 18000, frames: 9000 },
      ];
    case "nest":
      return [
        makeNest({
          id: `x${i}`,
          start,
          offset: 700,
          frames: 26000,
          gainDb: -2,
          fadeIn: { frames: 900, shape: "linear" },
          children: [
            { ...clip, start: 0, frames: 20000 },
            { ...clip, id: "inner", start: 18000, frames: 9000, fadeIn: { frames: 2000, shape: "S" }, crossfade: true },
          ],
        }),
      ];
    default:
      return [clip];
  }
}
