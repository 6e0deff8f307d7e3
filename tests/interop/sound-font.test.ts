import { execFileSync } from "node:child_process";
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { MemorySource } from "../../core/formats/bytes/bytes";
import { readPreset } from "../../core/formats/sf2/instrument";
import { SoundFont } from "../../core/formats/sf2/read";
import { WavReader } from "../../core/formats/wav/read";
import { readMidi } from "../../core/formats/midi/read";
import type { Instrument } from "../../core/instruments/instrument";
import { samplesOf, withSamples } from "../../core/instruments/instrument";
import { presetFor } from "../../core/instruments/presets";
import { makeSession, makeTrack } from "../../core/session/build";
import type { Asset, Session } from "../../core/session/document";
import { applyStep, type Step } from "../../core/session/edits";
import { midiStep } from "../../core/session/import";
import { placeInstruments } from "../../core/session/instrument-edits";
import { type Heard, MIX_OUT, hashOf, listen } from "../../core/testing/listen";
import { through } from "../../core/testing/process";
import { FileSource } from "../../server/audio/file-bytes";
import { share } from "../setup/share";

const FONT = "/usr/share/sounds/sf2/TimGM6mb.sf2";
const PLAYER = "/usr/bin/fluidsynth";
const missing = [FONT, PLAYER].filter((path) => !existsSync(path));
if (missing.length > 0) console.warn(`SoundFonts are not held to another player: ${missing.join(", ")} is not here`);

const RATE = 48000;
const HELD_S = 0.6;
const APART_S = 1.2;
const KEYS = [36, 48, 60, 72, 84];
const VELOCITIES = [40, 80, 120];
/** A tick of the file is the player's own block of 64 frames: 375 ticks a quarter at 120 beats a minute. */
const TICKS_PER_S = 750;
const notes = KEYS.flatMap((key, k) =>
  VELOCITIES.map((velocity, v) => ({ at: 0.48 + (k * VELOCITIES.length + v) * APART_S, key, velocity })),
);
const LENGTH = Math.ceil((0.48 + notes.length * APART_S + 0.5) * RATE);

interface Event {
  readonly tick: number;
  readonly data: readonly number[];
}
const after = (s: number, ...data: readonly number[]): Event => ({ tick: Math.round(s * TICKS_PER_S), data });

/** A channel of a bank and a program, its volume at the top, no effects. */
const setUp = (bank: number, program: number): readonly Event[] => [
  after(0, 0xb0, 0, bank),
  after(0, 0xc0, program),
  after(0, 0xb0, 7, 127),
  after(0, 0xb0, 91, 0),
  after(0, 0xb0, 93, 0),
];

/** A file of one track and one channel. Standard MIDI Files 1.0. */
function midiOf(channel: number, events: readonly Event[]): Uint8Array {
  const number = (n: number): number[] => (n < 128 ? [n] : [...number(n >> 7).map((b) => b | 128), n & 127]);
  let now = 0;
  const body = events.flatMap(({ tick, data: [status = 0, ...rest] }) => {
    const wait = tick - now;
    now = tick;
    return [...number(wait), status | channel, ...rest];
  });
  body.push(...number(2 * TICKS_PER_S), 0xff, 0x2f, 0);
  const long = (n: number) => [n >>> 24, (n >> 16) & 255, (n >> 8) & 255, n & 255];
  const ascii = (text: string) => Array.from(text, (c) => c.charCodeAt(0));
  return Uint8Array.from([
    ...[...ascii("MThd"), ...long(6), 0, 0, 0, 1, 375 >> 8, 375 & 255],
    ...[...ascii("MTrk"), ...long(body.length), ...body],
  ]);
}

const rms = (x: Float32Array, from: number, to: number) => {
  let sum = 0;
  for (let i = Math.round(from); i < to; i++) sum += (x[i] ?? 0) ** 2;
  return Math.sqrt(sum / (to - from));
};
const db = (x: number) => 20 * Math.log10(x);
const median = (list: readonly number[]) => [...list].sort((a, b) => a - b)[list.length >> 1] ?? NaN;

/** How many frames `b` lies behind `a` around a place: between -`reach` and `reach` of `around`, by a parabola. */
function lag(a: Float32Array, b: Float32Array, from: number, count: number, around: number, reach: number): number {
  const at = (by: number) => {
    let sum = 0;
    for (let i = from; i < from + count; i++) sum += (a[i] ?? 0) * (b[i + by] ?? 0);
    return sum;
  };
  let best = around;
  for (let by = around - reach; by <= around + reach; by++) if (at(by) > at(best)) best = by;
  const [p, q, r] = [at(best - 1), at(best), at(best + 1)];
  return best + (0.5 * (p - r)) / (p - 2 * q + r);
}

interface Figures {
  readonly cents: number;
  readonly lateFrames: number;
  readonly levelDb: number;
  /** How much further it has fallen a tenth of a second after its end, as a part of what the other one fell. */
  readonly fall: number | null;
}

describe.skipIf(missing.length > 0)("a SoundFont, beside another player", () => {
  let folder: string;
  let font: SoundFont;
  let source: FileSource;
  beforeAll(() => {
    folder = mkdtempSync(join(tmpdir(), "stemzo-sound-font-"));
    source = new FileSource(FONT);
    font = new SoundFont(source);
  });
  afterAll(() => {
    source.close();
    rmSync(folder, { recursive: true, force: true });
  });

  function theirs(bank: number, program: number): readonly [Float32Array, Float32Array] {
    const [midi, wav] = [join(folder, "notes.mid"), join(folder, "notes.wav")];
    const played = notes.flatMap(({ at, key, velocity }) => [
      after(at, 0x90, key, velocity),
      after(at + HELD_S, 0x80, key, 0),
    ]);
    writeFileSync(midi, midiOf(bank === 128 ? 9 : 0, [...setUp(bank === 128 ? 0 : bank, program), ...played]));
    return playedBy(midi, wav, LENGTH);
  }

  /** What the other player makes of a MIDI file. */
  function playedBy(midi: string, wav: string, frames: number): readonly [Float32Array, Float32Array] {
    const quiet = ["-R", "0", "-C", "0", "-g", "1", "-r", String(RATE)];
    execFileSync(PLAYER, ["-ni", ...quiet, "-F", wav, "-O", "float", "-T", "wav", FONT, midi], { stdio: "ignore" });
    const reader = WavReader.open(new MemorySource(new Uint8Array(readFileSync(wav))));
    const sides = [new Float32Array(frames), new Float32Array(frames)] as const;
    reader.read(0, Math.min(frames, reader.frames), sides[0], sides[1], 0);
    return sides;
  }

  function ours(instrument: Instrument): readonly [Float32Array, Float32Array] {
    const open = (name: string) => {
      const audio = font.sample(Number(name));
      if (!audio) throw new Error(`there is no sample ${name}`);
      return { audio, rate: audio.rate };
    };
    const played = notes.map(({ at, key, velocity }) => ({
      ...{ start: Math.round(at * RATE), frames: Math.round(HELD_S * RATE), pitch: key, velocity },
    }));
    const silence = { left: new Float32Array(LENGTH), right: new Float32Array(LENGTH) };
    const { left, right } = through("sampled", {}, silence, { instrument: { instrument, open }, notes: played });
    return [left, right];
  }

  /** A MIDI file as it is imported, with the presets that it asks for on its tracks. */
  function imported(midi: Uint8Array, frames: number): Heard {
    let n = 0;
    const newId = () => `id-${++n}`;
    const empty = makeSession({ tracks: [makeTrack({ id: "mix", name: "Mix", kind: "mix" })] });
    const done = (session: Session, step: Step | undefined): Session => {
      const made = step && applyStep(session, step);
      if (!made?.ok) throw new Error("the step is refused");
      return made.value.session;
    };
    const session = done(empty, midiStep(empty, readMidi(midi), "notes", 0, true, newId));
    const presets = font.presets.map((p) => ({ ...p }));
    const arriving = session.tracks.flatMap((t) => {
      if (!t.program) return [];
      const { instrument } = readPreset(font, presetFor(presets, t.program)!, { id: t.id, attenuation: 0.4 });
      const hash = (sample: string) => hashOf(Number(sample) + 1);
      const assets = samplesOf(instrument).map((sample): Asset => {
        const { frames: length, rate } = font.sample(Number(sample))!;
        return { id: hash(sample), name: sample, frames: length, rate, channels: 1, origin: "sample" };
      });
      return [{ instrument: withSamples(instrument, hash), assets, track: t.id }];
    });
    const playing = done(session, placeInstruments(session, arriving, newId)?.step);
    const library = (id: string) => font.sample(Number.parseInt(id, 16) - 1)!;
    const [mix] = listen(playing, [MIX_OUT], { library, to: frames });
    return mix!;
  }

  /** By how many cents `b` is lower than `a` in four tenths of a second behind a place, where it is about so many. */
  function lower(a: Float32Array, b: Float32Array, at: number, hz: number, about: number): number {
    const first = lag(a, b, Math.round(at * RATE), 2400, 64, Math.floor(RATE / hz / 2.2));
    const drift = 0.4 * RATE * (2 ** (about / 1200) - 1);
    const last = lag(a, b, Math.round((at + 0.4) * RATE), 2400, Math.round(first + drift), 20);
    return 1200 * Math.log2(1 + (last - first) / (0.4 * RATE));
  }

  test("a MIDI file that bends its notes, widens the wheel, fades, pedals and changes its program", () => {
    const wheel = (s: number, value: number) => after(s, 0xe0, value & 127, value >> 7);
    const events = [
      ...setUp(0, 79),
      after(0, 0x90, 60, 100),
      wheel(1, 16383),
      wheel(2, 4096),
      // Registered parameter 0: an octave.
      ...[after(2.9, 0xb0, 101, 0), after(2.9, 0xb0, 100, 0), after(2.9, 0xb0, 6, 12)],
      wheel(3, 12288),
      wheel(4, 8192),
      after(4.5, 0xb0, 7, 64),
      after(5.4, 0x80, 60, 0),
      after(5.5, 0xb0, 7, 127),
      ...[after(5.6, 0xb0, 64, 127), after(5.7, 0x90, 67, 100), after(5.8, 0x80, 67, 0), after(7, 0xb0, 64, 0)],
      after(7.5, 0xc0, 73),
      after(7.6, 0x90, 72, 100),
      after(9, 0x80, 72, 0),
    ];
    const frames = Math.round(9.6 * RATE);
    const midi = midiOf(0, events);
    const [path, wav] = [join(folder, "moving.mid"), join(folder, "moving.wav")];
    writeFileSync(path, midi);
    const [theirs] = playedBy(path, wav, frames);
    const { left } = imported(midi, frames);
    // Upwards, the player bends by 127/128 of what the file says.
    const places = [
      { at: 0.4, key: 60, bend: 0 },
      { at: 1.4, key: 60, bend: 200 },
      { at: 2.4, key: 60, bend: -100 },
      { at: 3.4, key: 60, bend: 600 },
      { at: 4.1, key: 60, bend: 0 },
      { at: 6.5, key: 67, bend: 0 },
      { at: 8.3, key: 72, bend: 0 },
    ];
    const cents = places.map(({ at, key, bend }) => {
      const wanted = Math.max(0, bend / 128);
      return lower(left, theirs, at, 440 * 2 ** ((key - 69 + bend / 100) / 12), wanted) - wanted;
    });
    const level = (at: number) =>
      db(rms(left, at * RATE, (at + 0.3) * RATE) / rms(theirs, at * RATE, (at + 0.3) * RATE));
    const levels = [0.5, 1.5, 2.4, 3.5, 4.8, 6.2, 8.3].map(level);
    const gain = median(levels);
    console.log(JSON.stringify({ cents, levels: levels.map((l) => l - gain) }));
    for (const [i, off] of cents.entries()) expect([places[i], Math.abs(off) < 2]).toEqual([places[i], true]);
    for (const l of levels) expect(Math.abs(l - gain)).toBeLessThan(1.5);
  }, 120_000);

  test("pitch, onset, level and release of its presets, at five keys and three velocities", () => {
    const all: (Figures & { readonly where: string })[] = [];
    const presets = font.presets.map((p, i) => ({ ...p, i })).filter((p) => p.bank === 0);
    const step = Math.max(1, Math.round(presets.length / share(presets.length, 8)));
    for (const { bank, program, name, i } of presets.filter((_, n) => n % step === 0)) {
      // The player takes 0.4 of what a zone is attenuated by, and leaves out what velocity does to the filter (8.4.2).
      const { instrument: read } = readPreset(font, i, { id: "p", attenuation: 0.4 });
      const instrument: Instrument = {
        ...read,
        modulators: read.modulators.map((list) =>
          list.filter((m) => !(m.to === "filterCents" && m.amount === -2400 && m.source.from === "velocity")),
        ),
      };
      const [a, b] = [ours(instrument), theirs(bank, program)];
      for (const { at, key, velocity } of notes) {
        const s = Math.round(at * RATE);
        // The louder side of the two.
        const side = rms(b[0], s, s + 0.5 * RATE) >= rms(b[1], s, s + 0.5 * RATE) ? 0 : 1;
        const [x, y] = [a[side], b[side]];
        const level = (of: Float32Array, from: number, to: number) => db(rms(of, s + from * RATE, s + to * RATE));
        // What has died away, or is below what the player's own rounding is, says nothing.
        if (level(y, 0.02, 0.4) < -70 || level(x, 0.02, 0.4) < -70) continue;
        const period = RATE / (440 * 2 ** ((key - 69) / 12));
        const reach = Math.max(3, Math.min(60, Math.floor(period / 2.2)));
        const first = lag(x, y, s + 0.02 * RATE, 2400, 64, reach);
        const last = lag(x, y, s + 0.3 * RATE, 2400, Math.round(first), 12);
        const [held, gone] = [level(y, 0.55, 0.6), level(y, 0.68, 0.72)];
        const fell = held - gone;
        const own = level(x, 0.55, 0.6) - level(x, 0.68, 0.72);
        all.push({
          where: `${program} ${name}, key ${key}, velocity ${velocity}`,
          cents: 1200 * Math.log2(1 + (last - first) / (0.28 * RATE)),
          lateFrames: first,
          levelDb: level(x, 0.02, 0.5) - level(y, 0.02, 0.5),
          fall: fell > 12 && gone > -80 ? own / fell : null,
        });
      }
    }
    // Its filter is 1.5 dB up where there is no resonance, and its output stage has a gain of its own: one for all.
    const gain = median(all.map((f) => f.levelDb));
    const late = median(all.map((f) => f.lateFrames));
    const inside = (of: (f: Figures) => number, most: number) =>
      all.filter((f) => Math.abs(of(f)) <= most).length / all.length;
    const falls = all.flatMap((f) => (f.fall === null ? [] : [f.fall]));
    const onset = (f: Figures) => f.lateFrames - late;
    const shown = {
      notes: all.length,
      cents: [median(all.map((f) => Math.abs(f.cents))), inside((f) => f.cents, 2)],
      onset: inside(onset, 48),
      level: [median(all.map((f) => Math.abs(f.levelDb - gain))), inside((f) => f.levelDb - gain, 1.5)],
      fall: [median(falls), falls.filter((f) => f > 0.9 && f < 1.1).length / Math.max(1, falls.length)],
    };
    console.log(`medians, and parts within 2 cents, 1 ms, 1.5 dB and 10 %: ${JSON.stringify(shown)}`);
    // What lies outside: near the cutoff of a resonant filter, whose height the player takes 3 dB off (8.1.3, 9); and
    // noises without a period, where the measurement by correlation slips.
    expect(shown.cents[0]).toBeLessThan(0.5);
    expect(shown.level[0]).toBeLessThan(0.2);
    expect(Math.min(shown.cents[1] ?? 0, shown.level[1] ?? 0)).toBeGreaterThan(0.93);
    expect(shown.onset).toBeGreaterThan(0.97);
    // The player falls by 96 dB where the specification has 100 (8.1.3, 36 and 38).
    expect(Math.abs((shown.fall[0] ?? 0) - 100 / 96)).toBeLessThan(0.03);
    expect(shown.fall[1]).toBeGreaterThan(0.97);
    expect(all.length).toBeGreaterThan(60);
  }, 900_000);
});
