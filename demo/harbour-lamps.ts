/* eslint-disable max-lines, max-lines-per-function -- data: every track, clip and note of the demo */
/** Long because it is a piece of music: the demo session, bar by bar. */

import type { Asset, AudioClip, Note, NoteClip, Phrase, Session } from "../core/session/document";
import { bellBuoy, bowedStrings, breathAndHum, gulls, rigging, ropeCoil, waterBed } from "./field-recordings";
import { handPercussion } from "./hand-percussion";
import {
  makeAudioClip,
  makeDevice,
  makeLane,
  makeNoteClip,
  makeSend,
  makeSession,
  makeTrack,
} from "../core/session/build";
import { fillSheet } from "../core/delivery/sheet";
import { meterMap } from "../core/time/meter";
import { tempoMap } from "../core/time/tempo";
import { TICKS_PER_QUARTER } from "../core/units";

/** All audio of the demo, by the name the session calls it. */
export const demoRecordings = () => ({
  water: waterBed(),
  rigging: rigging(),
  buoy: bellBuoy(),
  gulls: gulls(),
  rope: ropeCoil(),
  breath: breathAndHum(),
  bowed: bowedStrings(),
  ...handPercussion(),
});

/** The recordings in the audio store. */
export type DemoAudio = Readonly<Record<keyof ReturnType<typeof demoRecordings>, Asset>>;

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
const CHORDS: readonly (readonly number[])[] = [
  [50, 57, 64, 72],
  [46, 53, 62, 69],
  [53, 60, 67, 72],
  [48, 55, 62, 69],
];

function padPhrase(): Phrase {
  const notes = CHORDS.flatMap((chord, bar) =>
    chord.map((pitch, i): Note => ({
      tick: bar * BAR + i * 60,
      ticks: BAR - 90 - i * 60,
      pitch,
      velocity: 70 + ((bar * 5 + i * 3) % 18),
    })),
  );
  return { id: "pad-chords", name: "Glass chords", ticks: 4 * BAR, notes };
}

/** A two-bar figure on five bars, leaning on the off-beats. */
function barPhrase(id: string, name: string, pitches: readonly number[]): Phrase {
  const steps = [0, 3, 5, 6, 8, 11, 13, 14, 16, 19, 21, 24, 26, 27, 30];
  const notes = steps.map((step, i): Note => ({
    tick: step * (QUARTER / 4),
    ticks: QUARTER / 4,
    pitch: pitches[(i * 3 + (step >> 2)) % pitches.length] ?? 62,
    velocity: 52 + ((step * 29 + i * 13) % 50) + (step % 8 === 0 ? 18 : 0),
  }));
  return { id, name, ticks: 2 * BAR, notes };
}

const hornPhrase: Phrase = {
  id: "horn-calls",
  name: "Horn calls",
  ticks: 4 * BAR,
  notes: [
    { tick: 0, ticks: 3 * QUARTER, pitch: 38, velocity: 112 },
    { tick: BAR, ticks: 2.5 * QUARTER, pitch: 34, velocity: 104 },
    { tick: 2 * BAR, ticks: 3 * QUARTER, pitch: 41, velocity: 108 },
    { tick: 3 * BAR, ticks: QUARTER, pitch: 36, velocity: 100 },
    { tick: 3 * BAR + 2 * QUARTER, ticks: 1.5 * QUARTER, pitch: 36, velocity: 92 },
  ],
};

/**
 * One bar of hands: low skin on the beats that carry, slaps between them, seeds running through. Pads from note 36 up.
 */
function handPhrase(): Phrase {
  const at = (sixteenth: number, pad: number, velocity: number): Note => ({
    tick: sixteenth * (QUARTER / 4) + (sixteenth % 2 === 1 ? 18 : 0),
    ticks: 120,
    pitch: 36 + pad,
    velocity,
  });
  return {
    id: "hands",
    name: "Hands",
    ticks: 2 * BAR,
    notes: [
      ...[0, 7, 10, 16, 23, 26, 29].map((step, i) => at(step, 0, [112, 70, 92, 108, 66, 96, 58][i] ?? 80)),
      ...[4, 12, 14, 20, 28, 31].map((step, i) => at(step, 1, [84, 104, 48, 88, 110, 56][i] ?? 80)),
      ...Array.from({ length: 16 }, (_, i) => at(i * 2 + 1, 2, 46 + ((i * 17) % 34))),
      ...[6, 22, 30].map((step) => at(step, 3, 74)),
      at(0, 4, 62),
    ].sort((a, b) => a.tick - b.tick || a.pitch - b.pitch),
  };
}

/** A slow plucked line that answers the horn. */
const harpPhrase: Phrase = {
  id: "harp-line",
  name: "Plucked line",
  ticks: 4 * BAR,
  notes: [
    [0, 62],
    [1.5, 69],
    [3, 72],
    [4.5, 70],
    [6, 65],
    [7, 62],
    [8, 65],
    [9.5, 72],
    [11, 77],
    [12.5, 76],
    [14, 72],
    [15, 67],
  ].map(([beat = 0, pitch = 60], i) => ({
    tick: Math.round(beat * QUARTER),
    ticks: Math.round(1.8 * QUARTER),
    pitch,
    velocity: 64 + ((i * 23) % 40),
  })),
};

/** Two lamp notes that come round again and again. */
const lampPhrase: Phrase = {
  id: "lamps",
  name: "Lamps",
  ticks: 2 * BAR,
  notes: [
    { tick: 0, ticks: QUARTER, pitch: 86, velocity: 72 },
    { tick: 2.5 * QUARTER, ticks: QUARTER, pitch: 81, velocity: 58 },
    { tick: 5.5 * QUARTER, ticks: QUARTER, pitch: 89, velocity: 64 },
  ],
};

const placed = (phrase: Phrase, prefix: string, starts: readonly number[]): readonly NoteClip[] =>
  starts.map((bar, i) => makeNoteClip(`${prefix}-${i + 1}`, phrase, bars.barToTick(bar)));

/** The demo session: a cue for a small harbour museum's sound installation. */
export function harbourLamps(audio: DemoAudio): Session {
  const pad = padPhrase();
  const low = barPhrase("bars-low", "Bars, low figure", [62, 65, 69, 72, 74]);
  const high = barPhrase("bars-high", "Bars, high figure", [69, 72, 74, 77, 81]);
  const hands = handPhrase();
  const water = (id: string, from: number, to: number, offsetS: number, more: Partial<AudioClip>) => {
    const start = atBar(from);
    const frames = Math.min(atBar(to) - start, audio.water.frames - offsetS * RATE);
    return makeAudioClip({ id, name: "Water", asset: audio.water.id, start, offset: offsetS * RATE, frames, ...more });
  };
  const cut = (
    asset: Asset,
    id: string,
    name: string,
    start: number,
    fromS: number,
    toS: number,
    more: Partial<AudioClip> = {},
  ) =>
    makeAudioClip({
      id,
      name,
      asset: asset.id,
      start,
      offset: Math.round(fromS * RATE),
      frames: Math.round((toS - fromS) * RATE),
      ...more,
    });
  const seconds = (s: number) => Math.round(s * RATE);
  const fade = (s: number, shape: AudioClip["fadeIn"]["shape"] = "equal power") => ({
    frames: Math.round(s * RATE),
    shape,
  });

  const session = makeSession({
    name: "Harbour Lamps",
    rate: RATE,
    tempo: TEMPO,
    meter: METER,
    assets: Object.values(audio),
    phrases: [pad, low, high, hornPhrase, hands, harpPhrase, lampPhrase],
    tracks: [
      makeTrack({
        id: "water",
        name: "Water bed",
        kind: "audio",
        output: "quay",
        faderDb: -1,
        clips: [
          water("water-1", 1, 11, 1, { fadeIn: fade(3, "S"), fadeOut: fade(0.6) }),
          water("water-2", 11, 20, 4, { fadeIn: fade(0.6), fadeOut: fade(0.6), gainDb: -1.5 }),
          water("water-3", 20, 28, 2, { fadeIn: fade(0.6), fadeOut: fade(5, "S"), reverse: true }),
        ],
        devices: [
          makeDevice("water-eq", "eq", { cut: 1, cutHz: 90, bell1Hz: 320, bell1Db: -3, highHz: 6000, highDb: 2 }),
          // Not installed anywhere: the session has to report it.
          makeDevice("water-worn", "worn-tape", { wow: 0.3, hiss: 0.1 }),
        ],
        automation: [
          makeLane("water-ride", "fader", [
            { tick: 0, value: -1 },
            { tick: bars.barToTick(5), value: -4, shape: "hold" },
            { tick: bars.barToTick(22), value: -4 },
            { tick: bars.barToTick(26), value: -0.5, shape: "hold" },
          ]),
        ],
      }),
      makeTrack({
        id: "rigging",
        name: "Rigging",
        kind: "audio",
        output: "quay",
        faderDb: -1.5,
        pan: 0.3,
        clips: [
          cut(audio.rigging, "rigging-1", "Halyards, near", atBar(3), 0.1, 4.8, { fadeOut: fade(0.4) }),
          cut(audio.rigging, "rigging-2", "Creak", atBar(6), 3.2, 5.2, {
            gainDb: 3,
            fadeIn: fade(0.02, "linear"),
            fadeOut: fade(0.3),
          }),
          cut(audio.rigging, "rigging-3", "Halyards", atBar(9), 6, 12.9, { fadeOut: fade(0.5) }),
          cut(audio.rigging, "rigging-4", "Halyards, far", atBar(15), 13, 17.6, {
            gainDb: -2,
            fadeIn: fade(0.1),
            fadeOut: fade(0.5),
          }),
          cut(audio.rigging, "rigging-5", "Last creak", atBar(23), 18.6, 22, { gainDb: 2, fadeOut: fade(0.8) }),
          // A stray: dragged out of sight once and forgotten.
          cut(audio.rigging, "rigging-stray", "Halyards, spare", atBar(42), 6.1, 6.7),
        ],
        devices: [makeDevice("rigging-eq", "eq", { cut: 1, cutHz: 180, bell2Hz: 2600, bell2Db: -2.5 })],
        sends: [makeSend("rigging-hall", "hall", -10)],
      }),
      makeTrack({
        id: "buoy",
        name: "Bell buoy",
        kind: "audio",
        output: "quay",
        faderDb: -9,
        pan: -0.45,
        clips: [
          // The fade lies over the first stroke and takes its attack away.
          cut(audio.buoy, "buoy-1", "Bell, near", atBar(4), 0, 5.6, {
            fadeIn: fade(0.06, "linear"),
            fadeOut: fade(0.8),
          }),
          cut(audio.buoy, "buoy-2", "Bell, slower", atBar(13), 0, 11, {
            stretch: 1.25,
            transposeCents: -200,
            // The second stroke comes a little late, and the last ones sink.
            timeMarks: [
              { at: seconds(1.5), to: seconds(1.875) },
              { at: seconds(3.6), to: seconds(4.6) },
              { at: seconds(8.8), to: seconds(11) },
            ],
            pitchLine: [
              { at: seconds(5), cents: 0 },
              { at: seconds(8.8), cents: -60 },
            ],
            fadeOut: fade(1.4),
            gainDb: -3,
          }),
          cut(audio.buoy, "buoy-3", "Bell, under way", atBar(21), 2.1, 9.4, {
            process: [makeDevice("buoy-space", "convolution", { kind: 1, decayS: 1.4, toneHz: 3800, wet: 45 })],
            ringsOn: true,
            fadeOut: fade(1.2),
          }),
        ],
        devices: [makeDevice("buoy-eq", "eq", { cut: 1, cutHz: 200, bell2Hz: 2400, bell2Db: -2 })],
        sends: [makeSend("buoy-hall", "hall", -11)],
      }),
      makeTrack({
        id: "gulls",
        name: "Gulls",
        kind: "audio",
        output: "quay",
        faderDb: -12,
        pan: 0.2,
        mute: true,
        clips: [cut(audio.gulls, "gulls-1", "Gulls", atBar(2), 0, 12.6, { fadeIn: fade(0.4), fadeOut: fade(0.8) })],
      }),
      makeTrack({
        id: "rope",
        name: "",
        kind: "audio",
        output: "quay",
        faderDb: -8,
        pan: -0.2,
        clips: [
          cut(audio.rope, "rope-1", "Audio 6", atBar(7), 0, 4.6, { fadeOut: fade(0.3) }),
          cut(audio.rope, "rope-2", "Audio 6", atBar(17), 0.6, 4.2, {
            fadeIn: fade(0.1),
            fadeOut: fade(0.4),
            reverse: true,
          }),
        ],
      }),
      makeTrack({
        id: "quay",
        name: "Quay",
        kind: "group",
        faderDb: -0.5,
        devices: [
          makeDevice("quay-eq", "eq", { highHz: 9000, highDb: 1 }),
          makeDevice("quay-comp", "compressor", {
            thresholdDb: -22,
            ratio: 1.8,
            attackMs: 20,
            releaseMs: 260,
            makeupDb: 1.5,
          }),
        ],
      }),
      makeTrack({
        id: "bars",
        name: "Bar percussion",
        kind: "instrument",
        faderDb: -2.5,
        pan: -0.15,
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
        id: "hands",
        name: "Hand percussion",
        kind: "instrument",
        faderDb: -9,
        pan: 0.1,
        clips: [
          makeNoteClip("hands-1", hands, bars.barToTick(7), bars.barToTick(13) - bars.barToTick(7)),
          makeNoteClip("hands-2", hands, bars.barToTick(14), bars.barToTick(20) - bars.barToTick(14)),
          makeNoteClip("hands-3", hands, bars.barToTick(22), bars.barToTick(25) - bars.barToTick(22)),
        ],
        devices: [
          makeDevice("hands-kit", "kit", { level: 82, touch: 75 }, null, [
            { id: "skin", pad: 0, asset: audio.skin.id, gainDb: 0, cents: 0, softest: 1, loudest: 127 },
            { id: "air", pad: 0, asset: audio.air.id, gainDb: -5, cents: 0, softest: 60, loudest: 127 },
            { id: "soft", pad: 1, asset: audio.slapSoft.id, gainDb: -1, cents: 0, softest: 1, loudest: 95 },
            { id: "hard", pad: 1, asset: audio.slapHard.id, gainDb: -3, cents: 0, softest: 80, loudest: 127 },
            { id: "shaker", pad: 2, asset: audio.shaker.id, gainDb: -7, cents: 0, softest: 1, loudest: 127 },
            { id: "wood", pad: 3, asset: audio.wood.id, gainDb: -9, cents: -150, softest: 1, loudest: 127 },
            { id: "shells", pad: 4, asset: audio.shells.id, gainDb: -8, cents: 0, softest: 1, loudest: 127 },
          ]),
          makeDevice("hands-warm", "saturator", { driveDb: 6, even: 30, outputDb: -3, wet: 60 }),
        ],
        sends: [makeSend("hands-hall", "hall", -17)],
      }),
      makeTrack({
        id: "harp",
        name: "Plucked line",
        kind: "instrument",
        faderDb: -5,
        pan: 0.35,
        clips: placed(harpPhrase, "harp", [9, 14, 18, 22]),
        devices: [
          makeDevice("harp-string", "string", {
            decayS: 3.4,
            brightness: 48,
            hardness: 42,
            place: 22,
            muteS: 0.5,
            level: 72,
          }),
          makeDevice("harp-eq", "eq", { cut: 1, cutHz: 120, bell1Hz: 320, bell1Db: -2 }),
        ],
        sends: [makeSend("harp-hall", "hall", -12), makeSend("harp-lantern", "lantern", -10)],
      }),
      makeTrack({
        id: "lamps",
        name: "Lamp bells",
        kind: "instrument",
        faderDb: -2,
        pan: -0.3,
        clips: [
          makeNoteClip("lamps-1", lampPhrase, bars.barToTick(3), bars.barToTick(13) - bars.barToTick(3)),
          makeNoteClip("lamps-2", lampPhrase, bars.barToTick(16), bars.barToTick(26) - bars.barToTick(16)),
        ],
        devices: [
          makeDevice("lamps-fm", "fm", {
            ratio: 3.5,
            index: 2.4,
            indexS: 0.5,
            keep: 8,
            decayS: 2.6,
            spread: 60,
            level: 75,
          }),
          makeDevice("lamps-chorus", "chorus", { rateHz: 0.4, depthMs: 2.5, wet: 35 }),
          makeDevice("lamps-trem", "tremolo", { rateHz: 4.8, depth: 30, apart: 60 }),
        ],
        sends: [makeSend("lamps-lantern", "lantern", -6), makeSend("lamps-hall", "hall", -14, "before fader")],
        automation: [
          makeLane(
            "lamps-index",
            "param",
            [
              { tick: bars.barToTick(3), value: 1.2 },
              { tick: bars.barToTick(13), value: 3.6, shape: "hold" },
              { tick: bars.barToTick(16), value: 3.6, shape: "curved", bend: -0.4 },
              { tick: bars.barToTick(26), value: 0.8, shape: "hold" },
            ],
            "lamps-fm",
            "index",
          ),
        ],
      }),
      makeTrack({
        id: "breath",
        name: "Breath and hum",
        kind: "audio",
        output: "air",
        faderDb: -7,
        clips: [
          cut(audio.breath, "breath-1", "First phrase", atBar(5), 0.1, 6.6, { fadeOut: fade(0.3) }),
          cut(audio.breath, "breath-2", "Second phrase", atBar(11), 6.8, 13.6, { fadeOut: fade(0.3) }),
          cut(audio.breath, "breath-3", "Third phrase", atBar(19), 13.8, 20.9, { fadeOut: fade(0.5) }),
        ],
        devices: [
          makeDevice("breath-eq", "eq", { cut: 1, cutHz: 100, bell1Hz: 260, bell1Db: -2, highHz: 5000, highDb: 3 }),
          makeDevice("breath-comp", "compressor", {
            thresholdDb: -24,
            ratio: 2.5,
            attackMs: 8,
            releaseMs: 180,
            makeupDb: 3,
          }),
        ],
        sends: [makeSend("breath-hall", "hall", -9)],
      }),
      makeTrack({
        id: "bowed",
        name: "Bowed strings",
        kind: "audio",
        output: "air",
        faderDb: -7,
        pan: -0.1,
        clips: [
          cut(audio.bowed, "bowed-1", "Bows, take 2", atBar(9), 0, 20.4, { fadeOut: fade(1.2) }),
          cut(audio.bowed, "bowed-2", "Bows, take 3", atBar(9) + Math.round(19.2 * RATE), 20, 39.9, {
            fadeIn: fade(1.2),
            crossfade: true,
            fadeOut: fade(1.5),
          }),
        ],
        takes: [
          {
            id: "bowed-take-1",
            name: "Take 1, too early",
            clips: [cut(audio.bowed, "bowed-early", "Bows, take 1", atBar(8), 0, 14, { fadeOut: fade(1) })],
          },
        ],
        devices: [
          makeDevice("bowed-eq", "eq", { cut: 1, cutHz: 110, bell2Hz: 2600, bell2Db: -2, highHz: 7000, highDb: -1.5 }),
          makeDevice("bowed-chorus", "chorus", { rateHz: 0.23, depthMs: 2, wet: 25 }),
        ],
        automation: [
          makeLane("bowed-ride", "fader", [
            { tick: bars.barToTick(9), value: -9, shape: "curved", bend: 0.3 },
            { tick: bars.barToTick(13), value: -3 },
            { tick: bars.barToTick(22), value: -6, shape: "hold" },
          ]),
        ],
        sends: [makeSend("bowed-hall", "hall", -8)],
      }),
      makeTrack({
        id: "pad",
        name: "Glass pad",
        kind: "instrument",
        output: "air",
        faderDb: -7,
        pan: 0.05,
        clips: placed(pad, "pad", [1, 5, 9, 14, 18, 22]),
        devices: [
          makeDevice("pad-glass", "synth", {
            unison: 7,
            detune: 17,
            spread: 90,
            sub: 8,
            cutoffHz: 1500,
            resonance: 22,
            drive: 14,
            sweep: 24,
            sweepS: 2.4,
            attackS: 0.7,
            decayS: 2.5,
            sustain: 74,
            releaseS: 1.9,
            vibratoHz: 4.2,
            vibrato: 4,
            oversample: 4,
            level: 58,
          }),
          makeDevice("pad-eq", "eq", { cut: 1, cutHz: 140, lowDb: -2, highHz: 7000, highDb: 3 }),
          makeDevice("pad-duck", "compressor", { thresholdDb: -30, ratio: 2.2, attackMs: 25, releaseMs: 320 }, "horn"),
        ],
        sends: [makeSend("pad-hall", "hall", -14)],
      }),
      makeTrack({
        id: "air",
        name: "Air",
        kind: "group",
        faderDb: -1,
        devices: [makeDevice("air-eq", "eq", { lowHz: 180, lowDb: -1.5, highHz: 9000, highDb: 1.5 })],
      }),
      makeTrack({
        id: "horn",
        name: "Foghorn bass",
        kind: "instrument",
        faderDb: -6,
        clips: placed(hornPhrase, "horn", [3, 9, 14, 20]),
        devices: [
          makeDevice("horn-voice", "synth", {
            unison: 2,
            detune: 7,
            spread: 20,
            pulse: 35,
            sub: 46,
            cutoffHz: 420,
            resonance: 18,
            drive: 46,
            sweep: 18,
            sweepS: 0.5,
            attackS: 0.09,
            decayS: 0.8,
            sustain: 82,
            releaseS: 0.55,
            oversample: 2,
            level: 62,
          }),
          makeDevice("horn-eq", "eq", { cut: 1, cutHz: 32, bell1Hz: 240, bell1Db: -2.5, bell2Hz: 900, bell2Db: 2 }),
        ],
      }),
      makeTrack({
        id: "hall",
        name: "Hall",
        kind: "return",
        faderDb: 1,
        devices: [
          makeDevice("hall-room", "reverb", { decayS: 3.1, size: 82, dampHz: 4800, preMs: 24 }),
          makeDevice("hall-eq", "eq", { highHz: 6000, highDb: -2 }),
        ],
      }),
      makeTrack({
        id: "lantern",
        name: "Lantern echo",
        kind: "return",
        faderDb: -3,
        devices: [
          makeDevice("lantern-echo", "delay", { beats: 0.75, feedback: 42, cross: 80, dampHz: 3200, wet: 100 }),
          makeDevice("lantern-cut", "filter", { shape: 2, cutoffHz: 320, resonance: 5 }),
        ],
      }),
      makeTrack({
        id: "mix",
        name: "Mix",
        kind: "mix",
        devices: [
          makeDevice("mix-eq", "eq", { lowHz: 60, lowDb: 0.5, highHz: 10000, highDb: 1 }),
          makeDevice("mix-comp", "compressor", {
            thresholdDb: -16,
            ratio: 1.6,
            attackMs: 30,
            releaseMs: 220,
            makeupDb: 4.5,
          }),
          makeDevice("mix-limit", "limiter", { ceilingDb: -1.5, lookaheadMs: 3, releaseMs: 120 }),
        ],
      }),
    ],
  });
  return { ...session, sheet: fillSheet(session) };
}
