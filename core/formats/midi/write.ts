import { utf8ToBytes } from "@noble/hashes/utils.js";
import type { Ticks } from "../../units";
import { TICKS_PER_QUARTER } from "../../units";

/** What a Standard MIDI File is written from here, each at its tick of 960 to the quarter. */
export type ConductorEvent =
  | { readonly kind: "tempo"; readonly tick: Ticks; readonly microsecondsPerQuarter: number }
  | { readonly kind: "meter"; readonly tick: Ticks; readonly numerator: number; readonly denominator: number }
  | { readonly kind: "marker"; readonly tick: Ticks; readonly text: string };

export type PlayedEvent = {
  readonly kind: "note on" | "note off";
  readonly tick: Ticks;
  readonly pitch: number;
  readonly velocity: number;
};

/** A track of a file: a name, and what happens on it in any order. */
export interface WrittenTrack {
  readonly name: string;
  readonly events: readonly (ConductorEvent | PlayedEvent)[];
}

/** Of the first channel. MIDI 1.0, channel voice messages. */
const NOTE_ON = 0x90;
const NOTE_OFF = 0x80;
/** Kinds of meta events. RP-001, meta-events. */
const NAME = 0x03;
const MARKER = 0x06;
const END_OF_TRACK = 0x2f;
const TEMPO = 0x51;
const METER = 0x58;
/** A quarter has 24 MIDI clocks, and eight thirty-seconds. */
const CLOCKS_PER_QUARTER = 24;
const THIRTY_SECONDS_PER_QUARTER = 8;
/** As far as a length of four bytes of seven bits reaches. RP-001, variable-length quantities. */
const LONGEST_STEP: Ticks = 0x0fffffff;

/** A Standard MIDI File that holds tempo, meter and markers alone: its conductor track; see `writeMidi`. */
export const writeConductor = (name: string, events: readonly ConductorEvent[], end: Ticks): Uint8Array =>
  writeMidi([{ name, events }], end);

/**
 * A Standard MIDI File of format 1, whose tracks end at tick `end` or with their last events. Ticks are whole and not
 * negative, a tempo has 1 to 0xffffff microseconds a quarter, a meter a numerator of 1 to 255 over a power of two,
 * pitches and velocities go to 127. Throws `RangeError` where one is not. RP-001, Standard MIDI Files 1.0.
 */
export function writeMidi(tracks: readonly WrittenTrack[], end: Ticks): Uint8Array {
  const header = [...bigEndian(1, 2), ...bigEndian(tracks.length, 2), ...bigEndian(TICKS_PER_QUARTER, 2)];
  const parts = [chunk("MThd", header), ...tracks.map((t) => chunk("MTrk", trackBytes(t, end)))];
  const file = new Uint8Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const part of parts) {
    file.set(part, at);
    at += part.length;
  }
  return file;
}

/** A note that ends where another of its pitch begins ends first. */
const RANK = { "note off": 0, tempo: 1, meter: 1, marker: 1, "note on": 2 } as const;

function trackBytes({ name, events }: WrittenTrack, end: Ticks): readonly number[] {
  const track: number[] = [];
  let at: Ticks = 0;
  const step = (tick: Ticks) => {
    if (!Number.isInteger(tick) || tick < at) throw new RangeError(`an event cannot stand at tick ${tick}`);
    // A gap longer than a length can say is crossed on events that say nothing: empty text.
    for (; tick - at > LONGEST_STEP; at += LONGEST_STEP) append(track, ...variable(LONGEST_STEP), 0xff, 0x01, 0);
    append(track, ...variable(tick - at));
    at = tick;
  };
  const meta = (tick: Ticks, type: number, data: ArrayLike<number>) => {
    step(tick);
    append(track, 0xff, type, ...variable(data.length));
    for (let i = 0; i < data.length; i++) track.push(data[i] as number);
  };
  meta(0, NAME, utf8ToBytes(name));
  for (const event of [...events].sort((a, b) => a.tick - b.tick || RANK[a.kind] - RANK[b.kind])) {
    if (event.kind === "tempo") meta(event.tick, TEMPO, bigEndian(event.microsecondsPerQuarter, 3));
    else if (event.kind === "marker") meta(event.tick, MARKER, utf8ToBytes(event.text));
    else if (event.kind === "meter") meta(event.tick, METER, meterBytes(event.numerator, event.denominator));
    else {
      step(event.tick);
      append(track, event.kind === "note on" ? NOTE_ON : NOTE_OFF, seven(event.pitch), seven(event.velocity));
    }
  }
  meta(Math.max(at, end), END_OF_TRACK, []);
  return track;
}

function seven(value: number): number {
  if (!Number.isInteger(value) || value < 0 || value > 127) throw new RangeError(`${value} is not from 0 to 127`);
  return value;
}

function append(to: number[], ...bytes: readonly number[]): void {
  for (const byte of bytes) to.push(byte);
}

const chunk = (tag: string, body: readonly number[]): readonly number[] =>
  [...tag].map((c) => c.charCodeAt(0)).concat(bigEndian(body.length, 4), body);

function bigEndian(value: number, bytes: 2 | 3 | 4): number[] {
  const all = [(value >>> 24) & 255, (value >>> 16) & 255, (value >>> 8) & 255, value & 255];
  if (value !== value >>> 0 || all.slice(0, 4 - bytes).some((b) => b > 0))
    throw new RangeError(`${value} does not fit into ${bytes} bytes`);
  return all.slice(4 - bytes);
}

/** Seven bits a byte, the last without the high bit. */
function variable(value: number): number[] {
  const bytes = [value % 128];
  for (let rest = Math.floor(value / 128); rest > 0; rest = Math.floor(rest / 128)) bytes.unshift(128 + (rest % 128));
  return bytes;
}

function meterBytes(numerator: number, denominator: number): number[] {
  const power = [1, 2, 4, 8, 16, 32, 64, 128].indexOf(denominator);
  if (power < 0 || !Number.isInteger(numerator) || numerator < 1 || numerator > 255)
    throw new RangeError(`${numerator}/${denominator} is no meter of a MIDI file`);
  // The click comes once a beat; a beat shorter than a clock still has one.
  const clocks = Math.max(1, Math.round((4 * CLOCKS_PER_QUARTER) / denominator));
  return [numerator, power, clocks, THIRTY_SECONDS_PER_QUARTER];
}
