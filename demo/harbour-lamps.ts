import type { Asset, AudioClip, Note, NoteClip, Phrase, Session } from "../core/session/document";
import { makeAudioClip, makeDevice, makeLane, makeNoteClip, makeSend, makeSession, makeTrack } from "../core/session/build";
import { fillSheet } from "../core/stems/sheet";
import { meterMap } from "../core/time/meter";
import { tempoMap } from "../core/time/tempo";
import { TICKS_PER_QUARTER } from "../core/units";

/** Hashes of the recordings in the audio store, and how long they are. */
export interface DemoAudio {
  readonly water: Asset;
  readonly rigging: Asset;
  readonly breath: Asset;
}

const QUARTER = TICKS_PER_QUARTER;
const BAR = 4 * QUARTER;
const RATE = 48000;
const METER = [
  { bar: 1, numerator: 4, denominator: 4 as const },
  { bar: 13, numerator: 5, denominator: 4 as const },
  { bar: 14, numerator: 4, denominator: 4 as const },
];
const bars = meterMap(METER);
const TEMPO = [
  { tick: 0, bpm: 96, shape: "hold" as const },
  { tick: bars.barToTick(17), bpm: 96, shape: "ramp" as const },
  { tick: bars.barToTick(21), bpm: 84, shape: "hold" as const },
];
const tempo = tempoMap(TEMPO, RATE);
const atBar = (bar: number) => tempo.toFrames(bars.barToTick(bar));

/** Four bars of slow chords, low to high. */
const CHORDS: readonly (readonly number[])[] = [[50, 57, 64, 72], [46, 53, 62, 69], [53, 60, 67, 72], [48, 55, 62, 69]];

function padPhrase(): Phrase {
  const notes = CHORDS.flatMap((chord, bar) =>
    chord.map((pitch, i): Note => ({ tick: bar * BAR + i * 60, ticks: BAR - 90 - i * 60, pitch, velocity: 70 + ((bar * 5 + i * 3) % 18) })),
  );
  return { id: "pad-chords", name: "Glass chords", ticks: 4 * BAR, notes };
}

/** A two-bar figure on five bars, leaning on the off-beats. */
function barPhrase(id: string, name: string, pitches: readonly number[]): Phrase {
  const steps = [0, 3, 5, 6, 8, 11, 13, 14, 16, 19, 21, 24, 26, 27, 30];
  const notes = steps.map((step, i): Note => ({
    tick: step * (QUARTER / 4), ticks: QUARTER / 4, pitch: pitches[(i * 3 + (step >> 2)) % pitches.length] ?? 62, velocity: 52 + ((step * 29 + i * 13) % 50) + (step % 8 === 0 ? 18 : 0),
  }));
  return { id, name, ticks: 2 * BAR, notes };
}

const hornPhrase: Phrase = {
  id: "horn-calls", name: "Horn calls", ticks: 4 * BAR,
  notes: [
    { tick: 0, ticks: 3 * QUARTER, pitch: 38, velocity: 112 },
    { tick: BAR, ticks: 2.5 * QUARTER, pitch: 34, velocity: 104 },
    { tick: 2 * BAR, ticks: 3 * QUARTER, pitch: 41, velocity: 108 },
    { tick: 3 * BAR, ticks: QUARTER, pitch: 36, velocity: 100 },
    { tick: 3 * BAR + 2 * QUARTER, ticks: 1.5 * QUARTER, pitch: 36, velocity: 92 },
  ],
};

const placed = (phrase: Phrase, prefix: string, starts: readonly number[]): readonly NoteClip[] =>
  starts.map((bar, i) => makeNoteClip(`${prefix}-${i + 1}`, phrase, bars.barToTick(bar)));

/** The demo session: a cue for a small harbour museum's sound installation. */
export function harbourLamps(audio: DemoAudio): Session {
  const pad = padPhrase();
  const low = barPhrase("bars-low", "Bars, low figure", [62, 65, 69, 72, 74]);
  const high = barPhrase("bars-high", "Bars, high figure", [69, 72, 74, 77, 81]);
  const water = (id: string, from: number, to: number, offsetS: number, more: Partial<AudioClip>) => {
    const start = atBar(from);
    const frames = Math.min(atBar(to) - start, audio.water.frames - offsetS * RATE);
    return makeAudioClip({ id, name: "Water", asset: audio.water.id, start, offset: offsetS * RATE, frames, ...more });
  };
  const cut = (asset: Asset, id: string, name: string, start: number, fromS: number, toS: number, more: Partial<AudioClip> = {}) =>
    makeAudioClip({ id, name, asset: asset.id, start, offset: Math.round(fromS * RATE), frames: Math.round((toS - fromS) * RATE), ...more });
  const fade = (s: number, shape: AudioClip["fadeIn"]["shape"] = "equal power") => ({ frames: Math.round(s * RATE), shape });

  const session = makeSession({
    name: "Harbour Lamps",
    rate: RATE,
    tempo: TEMPO,
    meter: METER,
    assets: [audio.water, audio.rigging, audio.breath],
    phrases: [pad, low, high, hornPhrase],
    tracks: [
      makeTrack({
        id: "water", name: "Water bed", kind: "audio", faderDb: -1,
        clips: [
          water("water-1", 1, 11, 1, { fadeIn: fade(3, "S"), fadeOut: fade(0.6) }),
          water("water-2", 11, 20, 4, { fadeIn: fade(0.6), fadeOut: fade(0.6), gainDb: -1.5 }),
          water("water-3", 20, 28, 2, { fadeIn: fade(0.6), fadeOut: fade(5, "S") }),
        ],
        devices: [makeDevice("water-eq", "eq", { cut: 1, cutHz: 90, bell1Hz: 320, bell1Db: -3, highHz: 6000, highDb: 2 })],
        automation: [makeLane("water-ride", "fader", [
          { tick: 0, value: -1 }, { tick: bars.barToTick(5), value: -4, shape: "hold" }, { tick: bars.barToTick(22), value: -4 }, { tick: bars.barToTick(26), value: -0.5, shape: "hold" },
        ])],
      }),
      makeTrack({
        id: "rigging", name: "Rigging", kind: "audio", faderDb: -1.5, pan: 0.3,
        clips: [
          cut(audio.rigging, "rigging-1", "Halyards, near", atBar(3), 0.1, 4.8, { fadeOut: fade(0.4) }),
          cut(audio.rigging, "rigging-2", "Creak", atBar(6), 3.2, 5.2, { gainDb: 3, fadeIn: fade(0.02, "linear"), fadeOut: fade(0.3) }),
          cut(audio.rigging, "rigging-3", "Halyards", atBar(9), 6, 12.9, { fadeOut: fade(0.5) }),
          cut(audio.rigging, "rigging-4", "Halyards, far", atBar(15), 13, 17.6, { gainDb: -2, fadeIn: fade(0.1), fadeOut: fade(0.5) }),
          cut(audio.rigging, "rigging-5", "Last creak", atBar(23), 18.6, 22, { gainDb: 2, fadeOut: fade(0.8) }),
        ],
        devices: [makeDevice("rigging-eq", "eq", { cut: 1, cutHz: 180, bell2Hz: 2600, bell2Db: -2.5 })],
        sends: [makeSend("rigging-hall", "hall", -10)],
      }),
      makeTrack({
        id: "bars", name: "Bar percussion", kind: "instrument", faderDb: -2.5, pan: -0.15,
        clips: [
          ...placed(low, "bars-low", [5, 7, 9, 11]),
          ...placed(high, "bars-high", [14, 16, 18]),
          ...placed(low, "bars-back", [20, 22]),
        ],
        devices: [
          makeDevice("bars-voice", "bars", { decayS: 1.6, hardness: 38, tuned: 70, spread: 55, level: 72 }),
          makeDevice("bars-eq", "eq", { cut: 1, cutHz: 110, bell1Hz: 480, bell1Db: -2, highDb: 1.5 }),
        ],
        sends: [makeSend("bars-hall", "hall", -13)],
      }),
      makeTrack({
        id: "breath", name: "Breath and hum", kind: "audio", output: "air", faderDb: -5,
        clips: [
          cut(audio.breath, "breath-1", "First phrase", atBar(5), 0.1, 6.6, { fadeOut: fade(0.3) }),
          cut(audio.breath, "breath-2", "Second phrase", atBar(11), 6.8, 13.6, { fadeOut: fade(0.3) }),
          cut(audio.breath, "breath-3", "Third phrase", atBar(19), 13.8, 20.9, { fadeOut: fade(0.5) }),
        ],
        devices: [
          makeDevice("breath-eq", "eq", { cut: 1, cutHz: 100, bell1Hz: 260, bell1Db: -2, highHz: 5000, highDb: 3 }),
          makeDevice("breath-comp", "compressor", { thresholdDb: -24, ratio: 2.5, attackMs: 8, releaseMs: 180, makeupDb: 3 }),
        ],
        sends: [makeSend("breath-hall", "hall", -9)],
      }),
      makeTrack({
        id: "pad", name: "Glass pad", kind: "instrument", output: "air", faderDb: -7, pan: 0.05,
        clips: placed(pad, "pad", [1, 5, 9, 14, 18, 22]),
        devices: [
          makeDevice("pad-glass", "synth", {
            unison: 7, detune: 17, spread: 90, sub: 8, cutoffHz: 1500, resonance: 22, drive: 14, sweep: 24, sweepS: 2.4, attackS: 0.7, decayS: 2.5, sustain: 74,
            releaseS: 1.9, vibratoHz: 4.2, vibrato: 4, oversample: 4, level: 58,
          }),
          makeDevice("pad-eq", "eq", { cut: 1, cutHz: 140, lowDb: -2, highHz: 7000, highDb: 3 }),
          makeDevice("pad-duck", "compressor", { thresholdDb: -30, ratio: 2.2, attackMs: 25, releaseMs: 320 }, "horn"),
        ],
        sends: [makeSend("pad-hall", "hall", -14)],
      }),
      makeTrack({
        id: "air", name: "Air", kind: "group", faderDb: -1,
        devices: [makeDevice("air-eq", "eq", { lowHz: 180, lowDb: -1.5, highHz: 9000, highDb: 1.5 })],
      }),
      makeTrack({
        id: "horn", name: "Foghorn bass", kind: "instrument", faderDb: -6,
        clips: placed(hornPhrase, "horn", [3, 9, 14, 20]),
        devices: [
          makeDevice("horn-voice", "synth", {
            unison: 2, detune: 7, spread: 20, pulse: 35, sub: 46, cutoffHz: 420, resonance: 18, drive: 46, sweep: 18, sweepS: 0.5, attackS: 0.09, decayS: 0.8,
            sustain: 82, releaseS: 0.55, oversample: 2, level: 62,
          }),
          makeDevice("horn-eq", "eq", { cut: 1, cutHz: 32, bell1Hz: 240, bell1Db: -2.5, bell2Hz: 900, bell2Db: 2 }),
        ],
        sends: [makeSend("horn-hall", "hall", -18)],
      }),
      makeTrack({
        id: "hall", name: "Hall", kind: "return", faderDb: 1,
        devices: [makeDevice("hall-room", "reverb", { decayS: 3.1, size: 82, dampHz: 4800, preMs: 24 }), makeDevice("hall-eq", "eq", { highHz: 6000, highDb: -2 })],
      }),
      makeTrack({
        id: "mix", name: "Mix", kind: "mix",
        devices: [
          makeDevice("mix-eq", "eq", { lowHz: 60, lowDb: 0.5, highHz: 10000, highDb: 1 }),
          makeDevice("mix-comp", "compressor", { thresholdDb: -16, ratio: 1.6, attackMs: 30, releaseMs: 220, makeupDb: 5.5 }),
          makeDevice("mix-limit", "limiter", { ceilingDb: -1.5, lookaheadMs: 3, releaseMs: 120 }),
        ],
      }),
    ],
  });
  return { ...session, sheet: fillSheet(session) };
}
