import { MalformedFile } from "../bytes/bytes";

/** What of a Standard MIDI File is used here, with its place in ticks of the file's own. */
export type MidiEvent =
  | {
      readonly kind: "note on" | "note off";
      readonly tick: number;
      readonly channel: number;
      readonly pitch: number;
      readonly velocity: number;
    }
  | { readonly kind: "program"; readonly tick: number; readonly channel: number; readonly program: number }
  /** The upper or the lower seven bits of the bank that the next program is of. */
  | {
      readonly kind: "bank";
      readonly tick: number;
      readonly channel: number;
      readonly half: "upper" | "lower";
      readonly value: number;
    }
  /** Modulation, volume, pan and expression: controllers 1, 7, 10 and 11. */
  | {
      readonly kind: "controller";
      readonly tick: number;
      readonly channel: number;
      readonly number: 1 | 7 | 10 | 11;
      readonly value: number;
    }
  /** The pitch wheel, from -1 to 1. */
  | { readonly kind: "bend"; readonly tick: number; readonly channel: number; readonly value: number }
  /** How far the pitch wheel goes at 1 from now on. */
  | { readonly kind: "bend range"; readonly tick: number; readonly channel: number; readonly cents: number }
  | { readonly kind: "pedal"; readonly tick: number; readonly channel: number; readonly down: boolean }
  | { readonly kind: "tempo"; readonly tick: number; readonly microsecondsPerQuarter: number }
  | { readonly kind: "meter"; readonly tick: number; readonly numerator: number; readonly denominator: number }
  | { readonly kind: "name" | "marker"; readonly tick: number; readonly text: string };

export interface MidiTrack {
  readonly events: readonly MidiEvent[];
  /** Where its last event stands. */
  readonly end: number;
}

export interface MidiEvents {
  /** 0: one track; 1: tracks that play together; 2: patterns that are independent of each other. */
  readonly format: 0 | 1 | 2;
  readonly ticksPerQuarter: number;
  readonly tracks: readonly MidiTrack[];
  /** Time is counted in seconds, by frames of film, and no tempo changes it: a quarter is half a second then. */
  readonly isTimed: boolean;
  /** What else is in it, by what it is: how many of each. */
  readonly unread: ReadonlyMap<Unread, number>;
  /** The file ends in the middle of a track, whose events up to there are kept. */
  readonly isCutOff: boolean;
}

/** Events that nothing is made of, by what people call them. */
export type Unread =
  | "controller changes"
  | "pitch bends"
  | "program changes"
  | "aftertouch"
  | "release velocities"
  | "system exclusive messages"
  | "key signatures"
  | "lyrics"
  | "texts"
  | "other events";

/** More bytes than any score needs; what is read is gone through in time that grows with it. */
const MOST_BYTES = 32 << 20;
const MOST_TRACKS = 2000;
const MOST_EVENTS = 1_000_000;
/** 2^40 ticks, as everywhere on a timeline. */
const LONGEST = 1099511627776;
const SUSTAIN = 64;
const BANK_UPPER = 0,
  BANK_LOWER = 32;
/** Seven bits each of the number of a parameter, and of what it is set to. MIDI 1.0, registered parameter numbers. */
const DATA_UPPER = 6,
  DATA_LOWER = 38,
  OTHER_LOWER = 98,
  OTHER_UPPER = 99,
  REGISTERED_LOWER = 100,
  REGISTERED_UPPER = 101;
/** The registered parameter that says how far the pitch wheel goes: semitones, then hundredths of one. */
const BEND_RANGE = 0;
const DEFAULT_RANGE = 200;
const NONE_SELECTED = 0x3fff;
const BEND_MIDDLE = 8192;
const isSelecting = (controller: number): boolean => controller >= OTHER_LOWER && controller <= REGISTERED_UPPER;

/**
 * The events of a Standard MIDI File, also of one wrapped into RIFF (RMID). Every step goes forward, so the time it
 * takes is bounded by the file's size. Throws `MalformedFile` with the byte. MIDI 1.0; RP-001 Standard MIDI Files 1.0;
 * RP-029 Bundling SMF in RMID.
 */
export function readMidiEvents(file: Uint8Array): MidiEvents {
  if (file.length > MOST_BYTES) throw new MalformedFile(`A MIDI file of more than ${MOST_BYTES >> 20} MB is not read`);
  const bytes = unwrapped(file);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  const tag = (at: number) => String.fromCharCode(...bytes.subarray(at, at + 4));
  if (bytes.length < 14 || tag(0) !== "MThd")
    throw new MalformedFile("This is not a MIDI file: it does not begin with MThd", 0);
  const headerBytes = view.getUint32(4);
  if (headerBytes < 6 || headerBytes > bytes.length - 8)
    throw new MalformedFile(`The header is said to have ${headerBytes} bytes`, 4);
  const format = view.getUint16(8);
  if (format !== 0 && format !== 1 && format !== 2)
    throw new MalformedFile(`MIDI files of format ${format} are not known`, 8);
  const division = view.getUint16(12);
  if (division === 0) throw new MalformedFile("The file says that a quarter has no ticks", 12);
  const ticksPerQuarter = division >= 0x8000 ? ticksOfHalfASecond(division) : division;
  const tracks: MidiTrack[] = [];
  const unread = new Map<Unread, number>();
  let [isCutOff, events] = [false, 0];
  // Chunks of other kinds may stand anywhere and are passed over. RP-001, chunks.
  for (let at = 8 + headerBytes; at + 8 <= bytes.length && !isCutOff;) {
    const length = view.getUint32(at + 4);
    const end = Math.min(bytes.length, at + 8 + length);
    if (tag(at) === "MTrk") {
      if (tracks.length >= MOST_TRACKS) throw new MalformedFile(`The file has more than ${MOST_TRACKS} tracks`, at);
      const track = new TrackReader(bytes, at + 8, end, unread, MOST_EVENTS - events).read();
      tracks.push(track);
      events += track.events.length;
      isCutOff = end < at + 8 + length || track.isCutOff;
    }
    at = end;
  }
  if (tracks.length === 0) throw new MalformedFile("There is no track in the file", bytes.length);
  return { format, ticksPerQuarter, isTimed: division >= 0x8000, unread, tracks, isCutOff };
}

/**
 * Ticks in half a second of a file that counts in frames of film: the first byte is the number of frames a second,
 * negative, 29 standing for 30000/1001; the second is ticks a frame. RP-001, MThd.
 */
function ticksOfHalfASecond(division: number): number {
  const frames = 256 - (division >> 8);
  const ticks = division & 0xff;
  if (![24, 25, 29, 30].includes(frames) || ticks === 0)
    throw new MalformedFile(
      `The file counts in ${ticks} ticks of ${frames} frames a second, which no standard knows`,
      12,
    );
  return ((frames === 29 ? 30000 / 1001 : frames) * ticks) / 2;
}

/** The MIDI file inside a RIFF file, or the bytes as they are. */
function unwrapped(bytes: Uint8Array): Uint8Array {
  const tag = (at: number) => String.fromCharCode(...bytes.subarray(at, at + 4));
  if (tag(0) !== "RIFF" || tag(8) !== "RMID") return bytes;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  for (let at = 12; at + 8 <= bytes.length;) {
    const length = view.getUint32(at + 4, true);
    if (tag(at) === "data") return bytes.subarray(at + 8, Math.min(bytes.length, at + 8 + length));
    at += 8 + length + (length % 2);
  }
  throw new MalformedFile("This RIFF file holds no MIDI data", 12);
}

/** Goes through one track's bytes. */
class TrackReader {
  private tick = 0;
  private status = 0;
  private readonly events: MidiEvent[] = [];
  /** By channel: the parameter that is set next; one that is not registered is 0x4000 higher. */
  private readonly selected: number[] = [];
  /** By channel, in cents. */
  private readonly ranges: number[] = [];

  constructor(
    private readonly bytes: Uint8Array,
    private at: number,
    private readonly end: number,
    private readonly unread: Map<Unread, number>,
    private readonly mostEvents: number,
  ) {}

  private leave(what: Unread): void {
    this.unread.set(what, (this.unread.get(what) ?? 0) + 1);
  }

  read(): MidiTrack & { readonly isCutOff: boolean } {
    let isCutOff = false;
    try {
      while (this.at < this.end && this.event());
    } catch (error) {
      if (!(error instanceof EndOfTrack)) throw error;
      isCutOff = true;
    }
    return { events: this.events, end: this.tick, isCutOff };
  }

  /** Reads one event; false at the end of the track. */
  private event(): boolean {
    const began = this.at;
    if (this.events.length > this.mostEvents)
      throw new MalformedFile(`The file has more than ${MOST_EVENTS} notes and changes`, this.at);
    this.tick += this.length();
    if (this.tick > LONGEST) throw new MalformedFile("An event lies beyond the end of any timeline", began);
    const first = this.byte();
    if (first === 0xff) return this.meta();
    if (first === 0xf0 || first === 0xf7) {
      this.leave("system exclusive messages");
      this.skip(this.length());
      return true;
    }
    if (first > 0xf7) throw new MalformedFile(`A byte of ${first} cannot begin an event in a file`, this.at - 1);
    if (first >= 0xf1) throw new MalformedFile("A message for a cable cannot stand in a file", this.at - 1);
    if (first >= 0x80) {
      this.status = first;
      this.message(this.data());
    } else {
      if (this.status === 0) throw new MalformedFile("An event has no status", this.at - 1);
      this.message(first);
    }
    return true;
  }

  private message(first: number): void {
    const { status, tick } = this;
    const channel = status & 0x0f;
    const kind = status & 0xf0;
    if (kind === 0xd0) return this.leave("aftertouch");
    if (kind === 0xc0) {
      this.events.push({ kind: "program", tick, channel, program: first });
      return;
    }
    const second = this.data();
    // 64 is written where nothing is known of how a key was let go, and 0 by many.
    if (kind === 0x80 && second !== 64 && second !== 0) this.leave("release velocities");
    if (kind === 0x80 || kind === 0x90)
      this.events.push({
        kind: kind === 0x90 && second > 0 ? "note on" : "note off",
        tick,
        channel,
        pitch: first,
        velocity: second,
      });
    else if (kind === 0xe0)
      this.events.push({ kind: "bend", tick, channel, value: (first + 128 * second - BEND_MIDDLE) / BEND_MIDDLE });
    else if (kind === 0xb0 && (first === 1 || first === 7 || first === 10 || first === 11))
      this.events.push({ kind: "controller", tick, channel, number: first, value: second });
    else if (kind === 0xb0 && (first === BANK_UPPER || first === BANK_LOWER))
      this.events.push({ kind: "bank", tick, channel, half: first === BANK_UPPER ? "upper" : "lower", value: second });
    else if (kind === 0xb0 && first === SUSTAIN) this.events.push({ kind: "pedal", tick, channel, down: second >= 64 });
    else if (kind === 0xb0 && isSelecting(first)) this.select(channel, first, second);
    else if (kind === 0xb0 && (first === DATA_UPPER || first === DATA_LOWER) && this.selected[channel] === BEND_RANGE)
      this.setBendRange(channel, first, second);
    else this.leave(kind === 0xb0 ? "controller changes" : "aftertouch");
  }

  /** Half of a parameter's number. One that is not registered has a high bit more here. */
  private select(channel: number, half: number, value: number): void {
    const { selected } = this;
    const before = selected[channel] ?? NONE_SELECTED;
    const isRegistered = half === REGISTERED_UPPER || half === REGISTERED_LOWER;
    const isUpper = half === REGISTERED_UPPER || half === OTHER_UPPER;
    const both = isUpper ? (value << 7) | (before & 127) : (before & ~127 & 0x3fff) | value;
    selected[channel] = isRegistered ? both : both | 0x4000;
  }

  private setBendRange(channel: number, half: number, value: number): void {
    const { ranges, tick } = this;
    const before = ranges[channel] ?? DEFAULT_RANGE;
    const cents =
      half === DATA_UPPER ? 100 * value + (before % 100) : 100 * Math.floor(before / 100) + Math.min(99, value);
    ranges[channel] = cents;
    this.events.push({ kind: "bend range", tick, channel, cents });
  }

  private meta(): boolean {
    const type = this.byte();
    const length = this.length();
    const from = this.at;
    this.skip(length);
    const { bytes, tick } = this;
    const value = (i: number) => bytes[from + i] ?? 0;
    if (type === 0x2f) return false;
    if (type === 0x03 || type === 0x06) {
      const text = textOf(bytes.subarray(from, from + Math.min(length, 400)));
      this.events.push({ kind: type === 0x03 ? "name" : "marker", tick, text });
    } else if (META[type] !== undefined) this.leave(META[type]);
    else if (type !== 0x51 && type !== 0x58 && type !== 0x00 && type !== 0x20 && type !== 0x21)
      this.leave("other events");
    if (type === 0x51 && length === 3)
      this.events.push({ kind: "tempo", tick, microsecondsPerQuarter: (value(0) << 16) | (value(1) << 8) | value(2) });
    if (type === 0x58 && length >= 2 && value(1) < 16)
      this.events.push({ kind: "meter", tick, numerator: value(0), denominator: 1 << value(1) });
    return true;
  }

  private byte(): number {
    if (this.at >= this.end) throw new EndOfTrack();
    return this.bytes[this.at++] as number;
  }

  private data(): number {
    const value = this.byte();
    if (value > 127) throw new MalformedFile(`A value of ${value} stands where values go to 127`, this.at - 1);
    return value;
  }

  private skip(count: number): void {
    if (count > this.end - this.at) {
      this.at = this.end;
      throw new EndOfTrack();
    }
    this.at += count;
  }

  /** A number of seven bits a byte, of four bytes at most. RP-001, variable-length quantities. */
  private length(): number {
    const from = this.at;
    let value = 0;
    for (let k = 0; k < 4; k++) {
      const byte = this.byte();
      value = value * 128 + (byte & 0x7f);
      if (byte < 0x80) return value;
    }
    throw new MalformedFile("A length has more than four bytes", from);
  }
}

/** RP-001, meta-events; RP-017, lyrics. */
const META: Readonly<Record<number, Unread>> = {
  0x01: "texts",
  0x02: "texts",
  0x04: "texts",
  0x05: "lyrics",
  0x07: "texts",
  0x59: "key signatures",
};

/** The bytes of a track end inside an event. */
class EndOfTrack extends Error {
  override readonly name = "EndOfTrack";
}

/** Text of a MIDI file is UTF-8 in practice, and Latin-1 by the standard where it is not. */
function textOf(bytes: Uint8Array): string {
  const latin1 = String.fromCharCode(...bytes);
  try {
    return decodeURIComponent([...bytes].map((b) => `%${b.toString(16).padStart(2, "0")}`).join(""));
  } catch {
    return latin1;
  }
}
