import fc from "fast-check";
import type { MidiData } from "midi-file";
import { writeMidi } from "midi-file";
import { describe, expect, test } from "vitest";
import { MalformedFile } from "../formats/bytes/bytes";
import { readMidi } from "../formats/midi/read";
import { hashOf } from "../testing/listen";
import { makeSession, makeTrack } from "./build";
import type { Session } from "./document";
import { applyStep } from "./edits";
import { importStep, midiStep, plainName } from "./import";

const counter = () => {
  let n = 0;
  return () => `new-${n++}`;
};
const session: Session = makeSession({
  tracks: [
    makeTrack({ id: "a", name: "A", kind: "audio", output: "g" }),
    makeTrack({ id: "i", name: "I", kind: "group" }),
    makeTrack({ id: "g", name: "G", kind: "group" }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const audio = (n: number, timeReference: number | null = null) => ({
  timeReference,
  asset: { id: hashOf(n), name: `file ${n}`, frames: 1000 * n, rate: 48000, channels: 2, origin: "imported" as const },
});

function applied(step: Parameters<typeof applyStep>[1]): Session {
  const done = applyStep(session, step);
  if (!done.ok) throw new Error(done.problems[0]?.what);
  const back = applyStep(done.value.session, done.value.inverse);
  expect(back.ok && back.value.session).toEqual(session);
  return done.value.session;
}

describe("bringing audio onto the timeline", () => {
  test("the first file goes to the track that was meant, the others to new ones below it, into the same group", () => {
    const after = applied(
      importStep(session, [audio(1), audio(2), audio(1)], { by: "frame", frame: 480, track: "a" }, counter()),
    );
    expect(after.tracks.map((t) => [t.name, t.output])).toEqual([
      ["A", "g"],
      ["file 2", "g"],
      ["file 1", "g"],
      ["I", "mix"],
      ["G", "mix"],
      ["Mix", null],
    ]);
    expect(after.tracks.slice(0, 3).map((t) => t.clips.map((c) => [c.start, c.kind === "audio" && c.frames]))).toEqual([
      [[480, 1000]],
      [[480, 2000]],
      [[480, 1000]],
    ]);
    // The same audio twice is one asset.
    expect(after.assets.length).toBe(2);
  });

  test("by time stamps each stands where it says, those without one at the frame; a group takes no audio", () => {
    const after = applied(
      importStep(session, [audio(1, 96_000), audio(2)], { by: "time reference", frame: 7, track: "i" }, counter()),
    );
    expect(after.tracks.map((t) => [t.name, t.clips[0]?.start])).toEqual([
      ["A", undefined],
      ["I", undefined],
      ["file 1", 96_000],
      ["file 2", 7],
      ["G", undefined],
      ["Mix", undefined],
    ]);
  });

  test("names lose folders and endings only", () => {
    expect(["C:\\takes\\Gull 2.take.wav", "a/b/Rope.aiff", "no ending", ".wav"].map(plainName)).toEqual([
      "Gull 2.take",
      "Rope",
      "no ending",
      "",
    ]);
  });
});

const notes = fc.uniqueArray(
  fc.record({
    tick: fc.nat(20_000),
    ticks: fc.integer({ min: 1, max: 2000 }),
    pitch: fc.nat(127),
    velocity: fc.integer({ min: 1, max: 127 }),
  }),
  { maxLength: 30, selector: (n) => n.pitch },
);

/** A file of one track: events in order of time, ends before beginnings. */
function fileOf(
  list: readonly { tick: number; ticks: number; pitch: number; velocity: number }[],
  head: MidiData["tracks"][number] = [],
): Uint8Array {
  const events = list
    .flatMap((n) => [
      { at: n.tick, on: true, n },
      { at: n.tick + n.ticks, on: false, n },
    ])
    .sort((a, b) => a.at - b.at || Number(a.on) - Number(b.on));
  let at = 0;
  const track: MidiData["tracks"][number] = events.map(({ at: when, on, n }) => {
    const deltaTime = when - at;
    at = when;
    return on
      ? { deltaTime, type: "noteOn", channel: 3, noteNumber: n.pitch, velocity: n.velocity }
      : { deltaTime, type: "noteOff", channel: 3, noteNumber: n.pitch, velocity: 0 };
  });
  return new Uint8Array(
    writeMidi({
      header: { format: 1, numTracks: 1, ticksPerBeat: 960 },
      tracks: [[...head, ...track, { deltaTime: 0, type: "endOfTrack" }]],
    }),
  );
}

describe("bringing MIDI in", () => {
  test("every note comes back as it was written, and plays from a phrase on a track of its own", () => {
    fc.assert(
      fc.property(notes, fc.nat(100_000), (list, frame) => {
        const sorted = [...list].sort((a, b) => a.tick - b.tick || a.pitch - b.pitch);
        const read = readMidi(fileOf(list, [{ deltaTime: 0, type: "trackName", text: "Bells" }]));
        if (list.length === 0) {
          expect(read.parts).toEqual([]);
          return;
        }
        expect(read.parts).toMatchObject([{ name: "Bells", notes: sorted, program: null }]);
        const after = applied(midiStep(session, read, "song", frame, false, counter()));
        const track = after.tracks.at(-2)!;
        expect([track.name, track.kind, track.clips.length]).toEqual(["Bells", "instrument", 1]);
        const phrase = after.phrases[0]!;
        expect(phrase.notes).toEqual(sorted);
        expect(phrase.ticks % 960).toBe(0);
        expect(phrase.ticks).toBeGreaterThanOrEqual(Math.max(...list.map((n) => n.tick + n.ticks)));
      }),
    );
  });

  test("tempo and meter come along when they are wanted; a change inside a bar is counted, not bent", () => {
    const head: MidiData["tracks"][number] = [
      { deltaTime: 0, type: "setTempo", microsecondsPerBeat: 625_000 },
      { deltaTime: 0, type: "timeSignature", numerator: 3, denominator: 4, metronome: 24, thirtyseconds: 8 },
      { deltaTime: 2880 * 2, type: "timeSignature", numerator: 5, denominator: 4, metronome: 24, thirtyseconds: 8 },
      { deltaTime: 100, type: "timeSignature", numerator: 7, denominator: 8, metronome: 24, thirtyseconds: 8 },
      { deltaTime: 860, type: "setTempo", microsecondsPerBeat: 500_000 },
    ];
    const read = readMidi(fileOf([{ tick: 0, ticks: 960, pitch: 60, velocity: 80 }], head));
    expect(read.meter).toEqual([
      { bar: 1, numerator: 3, denominator: 4 },
      { bar: 3, numerator: 5, denominator: 4 },
    ]);
    expect(read.remarks.length).toBe(1);
    expect(read.tempo).toEqual([
      { tick: 0, bpm: 96, shape: "hold" },
      { tick: 6720, bpm: 120, shape: "hold" },
    ]);
    expect(applied(midiStep(session, read, "song", 0, true, counter())).tempo).toEqual(read.tempo);
    expect(applied(midiStep(session, read, "song", 0, false, counter())).tempo).toEqual(session.tempo);
  });

  test("a note that begins again ends the one before; names of other alphabets are read; what is no MIDI is refused", () => {
    const bytes = new Uint8Array(
      writeMidi({
        header: { format: 0, numTracks: 1, ticksPerBeat: 480 },
        tracks: [
          [
            {
              deltaTime: 0,
              type: "trackName",
              text: [...new TextEncoder().encode("Nebelhörner")].map((b) => String.fromCharCode(b)).join(""),
            },
            { deltaTime: 0, type: "noteOn", channel: 0, noteNumber: 60, velocity: 80 },
            { deltaTime: 240, type: "noteOn", channel: 0, noteNumber: 60, velocity: 90 },
            { deltaTime: 240, type: "noteOn", channel: 9, noteNumber: 38, velocity: 90 },
            { deltaTime: 480, type: "endOfTrack" },
          ],
        ],
      }),
    );
    const read = readMidi(bytes);
    expect(read.parts.map((p) => p.name)).toEqual(["Nebelhörner 1", "Nebelhörner 10"]);
    expect(read.parts[0]?.notes).toEqual([
      { tick: 0, ticks: 480, pitch: 60, velocity: 80 },
      { tick: 480, ticks: 1440, pitch: 60, velocity: 90 },
    ]);
    expect(() => readMidi(new TextEncoder().encode("RIFF, not MIDI"))).toThrow(MalformedFile);
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(bytes.length - 1), fc.nat(255)), { minLength: 1, maxLength: 8 }),
        (changes) => {
          const damaged = bytes.slice();
          for (const [at, value] of changes) damaged[at] = value;
          try {
            readMidi(damaged);
          } catch (error) {
            expect(error).toBeInstanceOf(MalformedFile);
          }
        },
      ),
    );
  });
});
