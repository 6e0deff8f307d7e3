import type { MeterPoint } from "../../time/meter";
import type { TempoPoint } from "../../time/tempo";
import { MalformedFile } from "../bytes/bytes";
import type { MidiSettings } from "./controllers";
import { settingsOf } from "./controllers";
import type { MidiEvent, MidiTrack, Unread } from "./events";
import { readMidiEvents } from "./events";
import { withSharedSettings } from "./shared-settings";
import type { MidiProgram, Programs } from "./programs";
import { FIRST_PROGRAM, defaultProgram, isSplit, programsOf } from "./programs";

/** A note in ticks of 960 to the quarter; 69 is the A at 440 Hz. */
interface Note {
  readonly tick: number;
  readonly ticks: number;
  readonly pitch: number;
  readonly velocity: number;
}

/**
 * One part of a MIDI file: the notes of one channel of one of its tracks, in ticks of 960 to the quarter; of a channel
 * that changes its program, those of one program.
 */
export interface MidiPart {
  readonly name: string;
  readonly notes: readonly Note[];
  /** The program that it asks for; null where it asks for none. */
  readonly program: MidiProgram | null;
  readonly settings: MidiSettings;
}

export interface MidiFile {
  readonly parts: readonly MidiPart[];
  /** The file's tempo and meter; null where it says nothing of them. */
  readonly tempo: readonly TempoPoint[] | null;
  readonly meter: readonly MeterPoint[] | null;
  /** Places with names, in order. */
  readonly markers: readonly { readonly name: string; readonly tick: number }[];
  /** What was changed to make it fit, and what was left out: a sentence each. */
  readonly remarks: readonly string[];
  /** What else is in it, and is left out: how many of each. */
  readonly unread: ReadonlyMap<Unread, number>;
}

const QUARTER = 960;
const SHORTEST = 1;
const LEAST_BPM = 10;
const MOST_BPM = 500;
const MOST_TEMPI = 10_000;
/** As many as a phrase holds. */
const MOST_NOTES = 100_000;

/**
 * Reads a Standard MIDI File in ticks per quarter. Of several notes of one pitch that sound at once, the one that began
 * first ends first, or, where an end is missing, ends with the next; the sustain pedal lengthens notes until it is let
 * go or the pitch is struck again; what never ends ends with its track. The patterns of format 2 are laid one behind
 * another. Throws `MalformedFile`.
 */
export function readMidi(bytes: Uint8Array): MidiFile {
  const file = readMidiEvents(bytes);
  const unread = new Map(file.unread);
  const scaled = (tick: number) => Math.round((tick * QUARTER) / file.ticksPerQuarter);
  const tempo = new Map<number, number>();
  const meters = new Map<number, { readonly numerator: number; readonly denominator: number }>();
  const parts: MidiPart[] = [];
  const markers: { readonly name: string; readonly tick: number }[] = [];
  const remarks: string[] = [];
  let lengthened = 0;
  let ignored = 0;
  let start = 0;
  for (const track of file.format === 1 ? withSharedSettings(file.tracks) : file.tracks) {
    const from = start;
    for (const event of track.events) {
      if (event.kind === "tempo" && file.isTimed) ignored++;
      else if (event.kind === "tempo") tempo.set(from + scaled(event.tick), 60_000_000 / event.microsecondsPerQuarter);
      if (event.kind === "meter") meters.set(from + scaled(event.tick), event);
      if (event.kind === "marker") markers.push({ name: event.text, tick: from + scaled(event.tick) });
    }
    const programs = programsOf(track.events);
    const { notes, heldByPedal } = notesOf(track, programs, scaled, from);
    lengthened += heldByPedal;
    const name =
      track.events
        .find((e): e is MidiEvent & { kind: "name" } => e.kind === "name" && e.text.trim() !== "")
        ?.text.trim() ?? "MIDI";
    const leave = (what: Unread, count: number) => {
      if (count > 0) unread.set(what, (unread.get(what) ?? 0) + count);
    };
    for (const [channel, list] of [...notes].sort((a, b) => a[0] - b[0])) {
      if (list.length > MOST_NOTES)
        throw new MalformedFile(`"${name}" has ${list.length} notes; a part has at most ${MOST_NOTES}`);
      const settings = settingsOf(track.events, channel, (tick) => from + scaled(tick));
      const moves = settings.bends.length + settings.wheel.length > 0;
      const asked = programs.asked.get(channel) ?? [];
      const called = notes.size > 1 ? `${name} ${channel + 1}` : name;
      const sorted = list.sort((a, b) => a.tick - b.tick || a.pitch - b.pitch);
      leave("controller changes", settings.left);
      if (!isSplit(asked)) leave("program changes", asked.length - 1);
      for (const program of isSplit(asked) ? asked : [null]) {
        const own = sorted.filter((n) => program === null || n.program === program);
        // One that no note plays.
        if (own.length === 0) leave("program changes", 1);
        else
          parts.push({
            name: program === null ? called : `${called} ${program.program + 1}`,
            notes: own.map(({ tick, ticks, pitch, velocity }) => ({ tick, ticks, pitch, velocity })),
            settings,
            program: program ?? asked[0] ?? defaultProgram(channel) ?? (moves ? FIRST_PROGRAM : null),
          });
      }
    }
    leave("program changes", [...programs.asked.keys()].filter((channel) => !notes.has(channel)).length);
    const idle = (...kinds: readonly MidiEvent["kind"][]) =>
      track.events.filter((e) => kinds.includes(e.kind) && "channel" in e && !notes.has(e.channel)).length;
    leave("controller changes", idle("controller"));
    leave("pitch bends", idle("bend"));
    if (file.format === 2) start += Math.ceil(Math.max(1, scaled(track.end)) / (4 * QUARTER)) * 4 * QUARTER;
  }
  if (file.isCutOff)
    remarks.push(
      "The file is cut off: what was there up to that point is kept, and notes that were still held end there.",
    );
  if (file.format === 2 && file.tracks.length > 1)
    remarks.push(`Its ${file.tracks.length} patterns are independent of each other, so they lie one behind another.`);
  if (file.isTimed)
    remarks.push(
      `It counts in seconds: every note keeps its time, at 120 beats a minute${ignored > 0 ? "; the tempo that it states is left out" : ""}.`,
    );
  if (lengthened > 0)
    remarks.push(`${lengthened} ${lengthened === 1 ? "note is" : "notes are"} longer by the sustain pedal.`);
  if (tempo.size > MOST_TEMPI)
    throw new MalformedFile(`The file has ${tempo.size} changes of tempo; a session has at most ${MOST_TEMPI}`);
  const map = tempoOf(tempo);
  if (map.clamped > 0)
    remarks.push(
      `${map.clamped} ${map.clamped === 1 ? "tempo lies" : "tempos lie"} outside ${LEAST_BPM} to ${MOST_BPM} beats a minute and ${map.clamped === 1 ? "was" : "were"} taken to there.`,
    );
  const { meter, meterLeftOut } = meterOf(meters);
  if (meterLeftOut > 0)
    remarks.push(
      `${meterLeftOut} ${meterLeftOut === 1 ? "change of meter stands inside a bar or is" : "changes of meter stand inside a bar or are"} not usable, and left out.`,
    );
  return {
    parts,
    tempo: map.points,
    meter,
    markers: markers.sort((a, b) => a.tick - b.tick),
    remarks,
    unread,
  };
}

interface Struck {
  readonly tick: number;
  readonly velocity: number;
  /** The program that its channel asked for. */
  readonly program: MidiProgram | null;
}

/** A note with the program that it is of. */
interface Played extends Note {
  readonly program: MidiProgram | null;
}

const keyOf = (channel: number, pitch: number): number => channel * 128 + pitch;

/** The notes of a track by channel, and how many of them the pedal made longer. */
function notesOf(
  track: MidiTrack,
  programs: Programs,
  scaled: (tick: number) => number,
  from: number,
): { readonly notes: Map<number, Played[]>; readonly heldByPedal: number } {
  const notes = new Map<number, Played[]>();
  /** By channel; what is struck before any is asked for is of the first. */
  const program = new Map<number, MidiProgram>();
  /** By key, in the order they were struck; those before `ended` are over. */
  const open = new Map<number, { readonly struck: Struck[]; ended: number }>();
  /** Let go by their keys and held by the pedal, with the tick at which the key was let go. */
  const held = new Map<number, (Struck & { readonly released: number })[]>();
  const pedal = new Set<number>();
  /** Keys that are struck more often than they are let go. */
  const endless = new Set<number>();
  const balance = new Map<number, number>();
  for (const e of track.events)
    if (e.kind === "note on" || e.kind === "note off")
      balance.set(
        keyOf(e.channel, e.pitch),
        (balance.get(keyOf(e.channel, e.pitch)) ?? 0) + (e.kind === "note on" ? 1 : -1),
      );
  for (const [key, count] of balance) if (count > 0) endless.add(key);
  let heldByPedal = 0;
  const write = (key: number, began: Struck, end: number) => {
    const channel = key >> 7;
    const list = notes.get(channel) ?? [];
    notes.set(channel, list);
    const tick = from + scaled(began.tick);
    list.push({
      tick,
      ticks: Math.max(SHORTEST, from + scaled(end) - tick),
      pitch: key & 127,
      velocity: began.velocity,
      program: began.program,
    });
  };
  const letGo = (key: number, at: number) => {
    for (const note of held.get(key) ?? []) {
      if (at > note.released) heldByPedal++;
      write(key, note, at);
    }
    held.delete(key);
  };
  for (const event of track.events) {
    if (event.kind === "program") program.set(event.channel, programs.at.get(event) ?? FIRST_PROGRAM);
    else if (event.kind === "pedal") {
      if (event.down) pedal.add(event.channel);
      else {
        pedal.delete(event.channel);
        for (const key of [...held.keys()]) if (key >> 7 === event.channel) letGo(key, event.tick);
      }
    } else if (event.kind === "note on") {
      const key = keyOf(event.channel, event.pitch);
      letGo(key, event.tick);
      const before = open.get(key);
      // Where fewer notes end than begin, a key that is struck again was let go without a word.
      for (let last; endless.has(key) && before && (last = before.struck[before.ended]); before.ended++)
        write(key, last, event.tick);
      const notesOfKey = open.get(key) ?? { struck: [], ended: 0 };
      open.set(key, notesOfKey);
      const asked = program.get(event.channel) ?? programs.asked.get(event.channel)?.[0] ?? null;
      notesOfKey.struck.push({ tick: event.tick, velocity: event.velocity, program: asked });
    } else if (event.kind === "note off") {
      const key = keyOf(event.channel, event.pitch);
      // The one that began first; so a note that begins at the very tick at which another ends is not the one that
      // ends.
      const notesOfKey = open.get(key);
      const first = notesOfKey?.struck[notesOfKey.ended];
      if (!notesOfKey || !first) continue;
      if (endless.has(key) && first.tick === event.tick && notesOfKey.ended > 0) continue;
      notesOfKey.ended++;
      if (pedal.has(event.channel)) {
        const waiting = held.get(key) ?? [];
        held.set(key, waiting);
        waiting.push({ ...first, released: event.tick });
      } else write(key, first, event.tick);
    }
  }
  for (const [key, { struck, ended }] of open) for (const note of struck.slice(ended)) write(key, note, track.end);
  for (const key of [...held.keys()]) letGo(key, track.end);
  return { notes, heldByPedal };
}

/**
 * The document's tempo map starts at zero and stays between 10 and 500 to the minute. Written to 1/1000 of a beat,
 * which microseconds a quarter cannot tell apart.
 */
function tempoOf(found: ReadonlyMap<number, number>): {
  readonly points: readonly TempoPoint[] | null;
  readonly clamped: number;
} {
  if (found.size === 0) return { points: null, clamped: 0 };
  let clamped = 0;
  const points = [...found]
    .sort((a, b) => a[0] - b[0])
    .map(([tick, bpm]) => {
      const kept = Math.max(LEAST_BPM, Math.min(MOST_BPM, Math.round(bpm * 1000) / 1000));
      if (Math.abs(kept - bpm) > 0.001) clamped++;
      return { tick, bpm: kept, shape: "hold" as const };
    });
  return { points: points[0]?.tick === 0 ? points : [{ tick: 0, bpm: 120, shape: "hold" }, ...points], clamped };
}

const LEGAL_DENOMINATORS = [1, 2, 4, 8, 16, 32] as const;

function meterOf(found: ReadonlyMap<number, { readonly numerator: number; readonly denominator: number }>): {
  readonly meter: MidiFile["meter"];
  readonly meterLeftOut: number;
} {
  if (found.size === 0) return { meter: null, meterLeftOut: 0 };
  const points: { bar: number; numerator: number; denominator: (typeof LEGAL_DENOMINATORS)[number] }[] = [];
  let leftOut = 0;
  let bar = 1;
  let at = 0;
  let barTicks = 4 * QUARTER;
  for (const [tick, { numerator, denominator }] of [...found].sort((a, b) => a[0] - b[0])) {
    const bars = (tick - at) / barTicks;
    const legal = LEGAL_DENOMINATORS.find((d) => d === denominator);
    if (!legal || numerator < 1 || numerator > 64 || !Number.isInteger(bars)) {
      leftOut++;
      continue;
    }
    if (points.length === 0 && bars > 0) points.push({ bar: 1, numerator: 4, denominator: 4 });
    bar += bars;
    at = tick;
    barTicks = (numerator * 4 * QUARTER) / legal;
    if (points.at(-1)?.bar === bar) points.pop();
    points.push({ bar, numerator, denominator: legal });
  }
  return { meter: points.length === 0 ? null : points, meterLeftOut: leftOut };
}
