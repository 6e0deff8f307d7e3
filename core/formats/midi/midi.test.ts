import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { MalformedFile } from "../bytes/bytes";
import { readMidiTimeline } from "./timeline";
import { readMidi } from "./read";

const bytesOf = (hex: string) =>
  Uint8Array.from(hex.replaceAll(" ", "").match(/../g) ?? [], (b) => Number.parseInt(b, 16));
const u32 = (n: number) => [n >>> 24, (n >>> 16) & 255, (n >>> 8) & 255, n & 255];
const tagged = (tag: string, body: readonly number[], length = body.length) =>
  [...tag].map((c) => c.charCodeAt(0)).concat(u32(length), body);
const header = (format: number, tracks: number, division = 96) =>
  tagged("MThd", [0, format, 0, tracks, division >> 8, division & 255]);
const END = [0, 0xff, 0x2f, 0];
/** A file of format 1 at 96 ticks to the quarter, of tracks of bytes. */
const song = (...tracks: readonly (readonly number[])[]) =>
  Uint8Array.from([...header(1, tracks.length), ...tracks.flatMap((t) => tagged("MTrk", t))]);
const notes = (file: Uint8Array) =>
  readMidi(file).parts.flatMap((p) => p.notes.map((n) => [n.tick / 10, n.ticks / 10, n.pitch, n.velocity]));

describe("notes", () => {
  test("one that begins at the tick at which another of its pitch ends keeps its length, whichever event comes first", () => {
    const onFirst = song([0, 0x90, 60, 80, 96, 0x90, 60, 90, 0, 0x80, 60, 0, 96, 0x80, 60, 0, ...END]);
    const offFirst = song([0, 0x90, 60, 80, 96, 0x80, 60, 0, 0, 0x90, 60, 90, 96, 0x80, 60, 0, ...END]);
    for (const file of [onFirst, offFirst])
      expect(notes(file)).toEqual([
        [0, 96, 60, 80],
        [96, 96, 60, 90],
      ]);
  });

  test("overlapping ones of a pitch keep an end each: the one that began first ends first", () => {
    expect(notes(song([0, 0x90, 60, 80, 48, 0x90, 60, 90, 48, 0x80, 60, 0, 48, 0x80, 60, 0, ...END]))).toEqual([
      [0, 96, 60, 80],
      [48, 96, 60, 90],
    ]);
  });

  test("the pedal holds what was let go until it is let go itself or the pitch is struck again, and it is said", () => {
    const file = song([
      0,
      0xb0,
      64,
      127,
      0,
      0x90,
      60,
      80,
      0,
      0x90,
      64,
      80,
      24,
      0x80,
      60,
      0,
      0,
      0x80,
      64,
      0,
      24,
      0x90,
      60,
      90,
      24,
      0x80,
      60,
      0,
      24,
      0xb0,
      64,
      0,
      96,
      0x90,
      67,
      80,
      24,
      0x80,
      67,
      0,
      ...END,
    ]);
    expect(notes(file)).toEqual([
      [0, 48, 60, 80],
      [0, 96, 64, 80],
      [48, 48, 60, 90],
      [192, 24, 67, 80],
    ]);
    expect(readMidi(file).remarks).toEqual(["3 notes are longer by the sustain pedal."]);
  });

  test("a file that is cut off keeps what it had, and says so", () => {
    const whole = song([0, 0x90, 60, 80, 96, 0x80, 60, 0, 0, 0x90, 62, 80, 96, 0x80, 62, 0, ...END]);
    const cut = whole.subarray(0, whole.length - 8);
    expect(notes(cut).map(([at, , pitch]) => [at, pitch])).toEqual([
      [0, 60],
      [96, 62],
    ]);
    expect(readMidi(cut).remarks.join()).toContain("cut off");
  });
});

describe("files", () => {
  test("patterns of format 2 lie one behind another, on whole bars", () => {
    const one = [0, 0x90, 60, 80, 96, 0x80, 60, 0, ...END];
    const file = Uint8Array.from([...header(2, 2), ...tagged("MTrk", one), ...tagged("MTrk", one)]);
    expect(notes(file).map(([at]) => at)).toEqual([0, 384]);
    expect(readMidi(file).remarks.join()).toContain("one behind another");
  });

  test("other chunks before and between tracks, and the RIFF wrapping, are no matter", () => {
    const track = tagged("MTrk", [0, 0x90, 60, 80, 96, 0x80, 60, 0, ...END]);
    const odd = [...header(1, 1), ...tagged("XFIH", [1, 2, 3]), ...track, ...tagged("junk", [9])];
    expect(notes(Uint8Array.from(odd))).toEqual([[0, 96, 60, 80]]);
    const little = (n: number) => u32(n).reverse();
    const letters = (s: string) => [...s].map((c) => c.charCodeAt(0));
    const riff = [
      ...letters("RIFF"),
      ...little(12 + odd.length),
      ...letters("RMID"),
      ...letters("data"),
      ...little(odd.length),
      ...odd,
    ];
    expect(notes(Uint8Array.from(riff))).toEqual([[0, 96, 60, 80]]);
  });

  test("tempos beyond the session's are taken to its limits, and it is said", () => {
    const read = readMidi(song([0, 0xff, 0x51, 3, 0, 0, 1, 96, 0xff, 0x51, 3, 0x7f, 0xff, 0xff, ...END]));
    expect(read.tempo?.map((p) => p.bpm)).toEqual([500, 10]);
    expect(read.remarks.join()).toContain("2 tempos lie outside 10 to 500");
  });

  test.each<[string, Uint8Array, RegExp]>([
    [
      "an overlong length, which made a reader go backwards",
      bytesOf("4d546864 00000006 0001 0001 0060 4d54726b 00000008 00ff018fffffff78"),
      /more than four bytes \(at byte 25\)/,
    ],
    ["no MIDI at all", bytesOf("52494646"), /not a MIDI file/],
    ["no track", Uint8Array.from(header(1, 0)), /no track/],
    ["a rate of film that there is not", Uint8Array.from(header(1, 1, 0xe528)), /no standard knows/],
    ["a value above 127", song([0, 0x90, 60, 200, ...END]), /goes? to 127|go to 127/],
    ["an event without status", song([0, 60, 64, ...END]), /no status/],
  ])("%s: refused with the place", (_, bytes, why) => {
    expect(() => readMidi(bytes)).toThrow(why);
    expect(() => readMidi(bytes)).toThrow(MalformedFile);
  });

  test("whatever is changed in a file, it is read or refused, in no time", () => {
    const good = song(
      [
        0,
        0xff,
        3,
        2,
        72,
        105,
        0,
        0xff,
        0x51,
        3,
        7,
        0xa1,
        0x20,
        0,
        0xff,
        0x58,
        4,
        5,
        2,
        24,
        8,
        0,
        0xb0,
        64,
        127,
        0,
        0x90,
        60,
        80,
        96,
        60,
        0,
        12,
        0xf0,
        2,
        1,
        0xf7,
        0,
        0xb0,
        64,
        0,
        ...END,
      ],
      [0, 0x91, 40, 1, 9, 0x81, 40, 0, ...END],
    );
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(good.length - 1), fc.nat(255)), { minLength: 1, maxLength: 6 }),
        fc.nat(good.length),
        (changes, length) => {
          const bytes = good.slice();
          for (const [at, value] of changes) bytes[at] = value;
          try {
            const { parts } = readMidi(bytes.subarray(0, length));
            for (const n of parts.flatMap((p) => p.notes))
              expect(n.ticks >= 1 && n.tick >= 0 && n.pitch <= 127 && n.velocity >= 1 && n.velocity <= 127).toBe(true);
          } catch (error) {
            expect(error).toBeInstanceOf(MalformedFile);
          }
        },
      ),
      { numRuns: 10_000, seed: 1 },
    );
  });
});

describe("what else is in a file", () => {
  test("is counted by what it is, and told when the file is opened", () => {
    const bytes = song([
      ...[0, 0xb0, 7, 100, 0, 0xe0, 0, 64, 0, 0xc0, 5, 0, 0xd0, 40, 0, 0xa0, 60, 40],
      ...[0, 0xf0, 2, 1, 0xf7, 0, 0xff, 0x59, 2, 0, 0, 0, 0xff, 0x05, 2, 0x6c, 0x61, 0, 0xff, 0x01, 1, 0x78],
      ...[0, 0x90, 60, 100, 96, 0x80, 60, 30],
      ...END,
    ]);
    expect(Object.fromEntries(readMidi(bytes).unread)).toEqual({
      ...{ aftertouch: 2 },
      ...{ "system exclusive messages": 1, "key signatures": 1, lyrics: 1, texts: 1, "release velocities": 1 },
    });
    const told = readMidiTimeline(bytes, "song").losses.filter((l) => l.fate === "left out");
    expect(told.reduce((sum, l) => sum + l.count, 0)).toBe(7);
    const [part] = readMidi(bytes).parts;
    expect([part?.program, part?.settings.changes]).toEqual([{ bank: 0, program: 5 }, 1]);
    expect(part?.settings.faderDb).toBeCloseTo(40 * Math.log10(100 / 127), 9);
  });

  test("volume, expression and pan become a fader and a pan: still where they are, in steps where they move", () => {
    const settings = (...events: readonly number[]) =>
      readMidi(song([...events, 0, 0x90, 60, 100, 96, 0x80, 60, 0, ...END])).parts[0]!.settings;
    const db = (...values: readonly number[]) => values.reduce((sum, v) => sum + 40 * Math.log10(v / 127), 0);
    const still = settings(0, 0xb0, 7, 100, 0, 0xb0, 11, 64, 0, 0xb0, 10, 127);
    // The first volume counts only until the expression at the same tick.
    expect([still.faderDb, still.pan, still.fades, still.pans]).toEqual([
      expect.closeTo(db(100, 64), 9) as number,
      1,
      [],
      [],
    ]);
    const moving = settings(0, 0xb0, 7, 100, 96, 0xb0, 11, 64, 96, 0xb0, 7, 0, 0, 0xb0, 10, 64, 96, 0xb0, 10, 1);
    expect(moving.fades.map((p) => [p.tick, p.value])).toEqual([
      [0, expect.closeTo(db(100), 9)],
      [960, expect.closeTo(db(100, 64), 9)],
      [1920, -144],
    ]);
    expect(moving.pans).toEqual([
      { tick: 0, value: 0 },
      { tick: 2880, value: -1 },
    ]);
    // Before the first volume there is the one that a channel begins with.
    expect(settings(96, 0xb0, 7, 127, 96, 0xb0, 7, 64).fades.map((p) => [p.tick, p.value])).toEqual([
      [0, expect.closeTo(db(100), 9)],
      [960, 0],
      [1920, expect.closeTo(db(64), 9)],
    ]);
  });

  test("the pitch wheel is in cents of the range that the file sets, modulation in percent; at rest they are nothing", () => {
    const settings = (...events: readonly number[]) =>
      readMidi(song([...events, 0, 0x90, 60, 100, 96, 0x80, 60, 0, ...END])).parts[0]!;
    const bent = settings(0, 0xe0, 0, 96, 96, 0xe0, 0, 0, 96, 0xe0, 0, 64, 0, 0xb0, 1, 127, 48, 0xb0, 1, 0);
    expect(bent.settings.bends).toEqual([
      { tick: 0, value: 100 },
      { tick: 960, value: -200 },
      { tick: 1920, value: 0 },
    ]);
    expect(bent.settings.wheel).toEqual([
      { tick: 0, value: 0 },
      { tick: 1920, value: 100 },
      { tick: 2400, value: 0 },
    ]);
    // Whatever is asked for to play it, it moves: the first program.
    expect([bent.settings.wheelChanges, bent.program]).toEqual([5, { bank: 0, program: 0 }]);
    // Registered parameter 0: twelve semitones and fifty cents; set while the wheel is up, it moves the pitch.
    const set = [0, 0xb0, 101, 0, 0, 0xb0, 100, 0, 0, 0xb0, 6, 12, 0, 0xb0, 38, 50];
    const wide = settings(0, 0xe0, 0, 96, 96, ...set.slice(1), 0, 0xe0, 127, 127);
    expect(wide.settings.bends.map((p) => [p.tick, p.value])).toEqual([
      [0, 100],
      [960, expect.closeTo((1250 * 8191) / 8192, 9)],
    ]);
    // Another parameter is not that one: one that is not registered, and none.
    for (const other of [
      [0xb0, 99, 0, 0, 0xb0, 98, 0],
      [0xb0, 101, 127, 0, 0xb0, 100, 127],
      [0xb0, 101, 0, 0, 0xb0, 100, 1],
    ]) {
      const file = song([0, ...other, 0, 0xb0, 6, 12, 0, 0xe0, 0, 96, 0, 0x90, 60, 100, 96, 0x80, 60, 0, ...END]);
      expect(readMidi(file).parts[0]?.settings.bends).toEqual([{ tick: 0, value: 100 }]);
      expect(readMidi(file).unread.get("controller changes")).toBe(1);
    }
    const still = settings(0, 0xe0, 0, 64, 0, 0xb0, 1, 0);
    expect([still.settings.bends, still.settings.wheel, still.program]).toEqual([[], [], null]);
  });

  test("what a track sets of a channel goes to the tracks that play it and set nothing of it themselves", () => {
    const struck = (channel: number) => [0, 0x90 | channel, 60, 100, 96, 0x80 | channel, 60, 0, ...END];
    const set = [
      ...[0, 0xc0, 11, 0, 0xc1, 40, 0, 0xc2, 70, 0, 0xb0, 7, 64, 0, 0xb1, 10, 1],
      ...[96, 0xe0, 0, 96, 0, 0xb3, 7, 10, ...END],
    ];
    const bytes = song(set, struck(0), struck(0), struck(1), [0, 0xc2, 5, ...struck(2)]);
    const { parts, unread } = readMidi(bytes);
    expect(parts.map((p) => [p.program?.program, p.settings.pan, p.settings.bends.length])).toEqual([
      [11, 0, 2],
      [11, 0, 2],
      [40, -1, 0],
      // Its own goes before.
      [5, 0, 0],
    ]);
    expect(parts[0]?.settings.faderDb).toBeCloseTo(40 * Math.log10(64 / 127), 9);
    // What nothing plays is counted: a program of channel 3 that has another, a volume of channel 4.
    expect([unread.get("program changes"), unread.get("controller changes")]).toEqual([1, 1]);
    // Patterns that are independent of each other share nothing.
    const apart = Uint8Array.from([...header(2, 2), ...[set, struck(0)].flatMap((t) => tagged("MTrk", t))]);
    expect(readMidi(apart).parts.map((p) => p.program)).toEqual([null]);
  });

  test("the notes of a channel that changes its program are a part for each program, however often it goes back", () => {
    const strike = (pitch: number) => [0, 0x90, pitch, 100, 96, 0x80, pitch, 0];
    const program = (n: number) => [0, 0xc0, n];
    // What is struck before any program is of the first; what is held over a change stays with what struck it.
    const bytes = song([
      ...strike(60),
      ...program(4),
      ...strike(61),
      ...[0, 0x90, 62, 100],
      ...program(33),
      ...[48, 0x80, 62, 0],
      ...strike(63),
      ...program(4),
      ...strike(64),
      ...program(7),
      ...END,
    ]);
    const { parts, unread } = readMidi(bytes);
    expect(parts.map((p) => [p.name, p.program, p.notes.map((n) => [n.pitch, n.ticks])])).toEqual([
      ["MIDI 5", { bank: 0, program: 4 }, [60, 61, 62, 64].map((pitch) => [pitch, pitch === 62 ? 480 : 960])],
      ["MIDI 34", { bank: 0, program: 33 }, [[63, 960]]],
    ]);
    // The last is played by no note.
    expect(unread.get("program changes")).toBe(1);
    // With more programs a part is not split, and the others are counted.
    const many = song([...Array.from({ length: 40 }, (_, n) => [...program(n), ...strike(60)]).flat(), ...END]);
    const one = readMidi(many);
    expect([one.parts.length, one.parts[0]?.program, one.parts[0]?.notes.length]).toEqual([
      1,
      { bank: 0, program: 0 },
      40,
    ]);
    expect(one.unread.get("program changes")).toBeGreaterThan(0);
  });

  test.each([
    [24, 24],
    [25, 25],
    [29, 30000 / 1001],
    [30, 30],
  ])("a file that counts %d frames a second keeps the time of every note", (frames, rate) => {
    const ticks = 40;
    // One second of ticks, in two bytes of seven bits.
    const second = Math.round(rate * ticks);
    const delta = [0x80 | (second >> 7), second & 127];
    const track = [0, 0x90, 60, 100, ...delta, 0x80, 60, 0, ...END];
    const length = [0, 0, 0, track.length];
    const bytes = Uint8Array.from([
      ...header(1, 1, ((256 - frames) << 8) | ticks),
      0x4d,
      0x54,
      0x72,
      0x6b,
      ...length,
      ...track,
    ]);
    const { parts, tempo } = readMidi(bytes);
    expect(tempo).toBeNull();
    // 1,920 ticks are a second at 120 beats to the minute.
    expect(parts[0]?.notes[0]?.ticks).toBe(Math.round((second / (rate * ticks)) * 1920));
  });
});
