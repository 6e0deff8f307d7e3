import type { Carries } from "../../timeline/carries";
import type { Part } from "../../timeline/loss";
import { Losses } from "../../timeline/loss";
import type { ReadTimeline } from "../../timeline/places";
import type { Timeline, TimelineLane, TimelineTrack } from "../../timeline/timeline";
import { emptyTimeline, plainTrack } from "../../timeline/timeline";
import type { TempoMap } from "../../time/tempo";
import { tempoMap } from "../../time/tempo";
import type { MidiPoint } from "./controllers";
import type { Ticks } from "../../units";
import { TICKS_PER_QUARTER } from "../../units";
import { conductorEvents } from "./conductor";
import type { Unread } from "./events";
import type { MidiFile } from "./read";
import { readMidi } from "./read";
import type { PlayedEvent, WrittenTrack } from "./write";
import { writeMidi } from "./write";

/** What a Standard MIDI File carries: notes in time, and nothing that sounds by itself. */
export const midiCarries: Carries = {
  audio: false,
  notes: true,
  channelPicks: false,
  clipGain: false,
  fades: [],
  crossfades: [],
  fader: false,
  pan: [],
  mute: false,
  lanes: [],
  lanesIn: "decibels",
  sends: false,
  routing: false,
  devices: false,
  tempo: true,
  tempoRamps: false,
  meter: true,
  leadIn: true,
  markers: true,
  startTime: false,
};

/** A note that was struck when it ends. MIDI 1.0: 64, where nothing is known of how a key was let go. */
const RELEASE = 64;

/** A timeline's notes as a Standard MIDI File of type 1: a conductor track, then a track for each of its own. */
export function writeMidiTimeline(timeline: Timeline): Uint8Array {
  const { rate, leadIn, tracks, markers } = timeline;
  const tempo = timeline.tempo ?? [{ tick: 0, bpm: 120, shape: "hold" as const }];
  const meter = timeline.meter ?? [{ bar: 1, numerator: 4, denominator: 4 as const }];
  const map = tempoMap(tempo, rate);
  const named = markers.map((m) => ({ name: m.name, tick: map.toTicks(m.frame) }));
  const parts = tracks.filter((t) => t.kind === "notes").map(partOf);
  const last = [
    ...parts.flatMap((p) => p.events.map((e) => e.tick)),
    ...named.map((m) => m.tick),
    ...tempo.map((p) => p.tick),
    TICKS_PER_QUARTER,
  ];
  const end = last.reduce((most, tick) => Math.max(most, tick), 0) + 1;
  const conductor: WrittenTrack = {
    name: timeline.name,
    events: conductorEvents({ rate, tempo, meter, leadIn, markers: named }, 0, end),
  };
  return writeMidi([conductor, ...parts], end);
}

function partOf({ name, notes }: TimelineTrack): WrittenTrack {
  const events = notes.flatMap((clip) =>
    clip.notes.flatMap(({ tick, ticks, pitch, velocity }): PlayedEvent[] => [
      { kind: "note on", tick: clip.start + tick, pitch, velocity },
      { kind: "note off", tick: clip.start + tick + ticks, pitch, velocity: RELEASE },
    ]),
  );
  return { name, events };
}

/**
 * A Standard MIDI File as a timeline: a track for every part, with one clip from its first beat to its last. Throws
 * `MalformedFile`.
 */
export function readMidiTimeline(bytes: Uint8Array, name: string, rate = 48000): ReadTimeline {
  const file = readMidi(bytes);
  const losses = new Losses();
  for (const remark of file.remarks) losses.add("notes", "approximated", name, 1, remark);
  for (const { name: part, settings } of file.parts) {
    losses.add("controllers", "approximated", part, settings.changes, "controller changes: fader and pan, in steps");
    losses.add("controllers", "approximated", part, settings.wheelChanges, WHEELS);
  }
  for (const part of file.parts)
    if (part.program) losses.add("controllers", "approximated", part.name, 1, sayProgram(part.program));
  for (const [what, count] of file.unread) losses.add(PART_OF[what] ?? "controllers", "left out", name, count, what);
  return { timeline: timelineOf(file, name, rate), losses: losses.list, embedded: new Map<string, never>() };
}

const WHEELS = "pitch bends and controller changes of modulation: automation once a preset is put on the track";

/** Programs are counted from 1 for people, as General MIDI 1 does. */
const sayProgram = ({ bank, program }: { readonly bank: number; readonly program: number }): string =>
  `${bank === 128 ? "drums" : `program ${program + 1}`}: a synth plays it until a preset is put on the track`;

const PART_OF: Readonly<Partial<Record<Unread, Part>>> = {
  "release velocities": "note expressions",
  aftertouch: "note expressions",
  "key signatures": "what it holds beside sound",
  lyrics: "what it holds beside sound",
  texts: "what it holds beside sound",
};

function timelineOf(file: MidiFile, name: string, rate: number): Timeline {
  const map = tempoMap(file.tempo ?? [{ tick: 0, bpm: 120, shape: "hold" }], rate);
  return {
    ...emptyTimeline(name, rate),
    tempo: file.tempo,
    meter: file.meter,
    markers: file.markers.map((m) => ({ name: m.name, frame: map.toFrames(m.tick) })),
    tracks: midiTracks(file, name, "part-", map),
  };
}

/** The parts of a file as tracks of notes, each with one clip; `ids`: what their ids begin with. */
export function midiTracks(file: MidiFile, name: string, ids: string, map: TempoMap): readonly TimelineTrack[] {
  const lane = (target: "fader" | "pan", points: readonly MidiPoint[]): readonly TimelineLane[] =>
    points.length === 0
      ? []
      : [
          {
            ...{ target, send: null },
            points: points.map((p) => ({ frame: map.toFrames(p.tick), value: p.value, shape: "hold" as const })),
          },
        ];
  return file.parts.map(({ name: part, notes, program, settings }, i) => {
    const called = (part === "MIDI" ? name : part) || "MIDI";
    const first = notes.reduce((least, n) => Math.min(least, n.tick), Infinity);
    const start = Number.isFinite(first) ? floorToBeat(first) : 0;
    const end = notes.reduce((last, n) => Math.max(last, n.tick + n.ticks), start + 1);
    return plainTrack({
      id: `${ids}${i}`,
      name: called,
      kind: "notes",
      program: program && { ...program, bends: [...settings.bends], wheel: [...settings.wheel], device: null },
      ...{ faderDb: settings.faderDb, pan: settings.pan },
      lanes: [...lane("fader", settings.fades), ...lane("pan", settings.pans)],
      notes: [
        {
          name: called,
          start,
          ticks: floorToBeat(end - start + TICKS_PER_QUARTER - 1),
          notes: notes.map((n) => ({ ...n, tick: n.tick - start })),
        },
      ],
    });
  });
}

const floorToBeat = (tick: Ticks): Ticks => Math.floor(tick / TICKS_PER_QUARTER) * TICKS_PER_QUARTER;
