import { parseMidi } from "midi-file";
import type { Note, Session } from "../../session/document";
import { MalformedFile } from "../bytes/bytes";

/** One part of a MIDI file: the notes of one channel of one of its tracks, in ticks of 960 to the quarter. */
export interface MidiPart {
  readonly name: string;
  readonly notes: readonly Note[];
}

export interface MidiFile {
  readonly parts: readonly MidiPart[];
  /** The file's tempo and meter; null where it says nothing of them. */
  readonly tempo: Session["tempo"] | null;
  readonly meter: Session["meter"] | null;
  /** Changes of meter that do not stand at a bar's beginning, and so were left out. */
  readonly meterLeftOut: number;
}

const QUARTER = 960;
const SHORTEST = 1;

/** Text of a MIDI file is Latin-1 by the standard and UTF-8 in practice. */
function textOf(latin1: string): string {
  const bytes = [...latin1].map((c) => c.charCodeAt(0));
  try {
    return decodeURIComponent(bytes.map((b) => `%${b.toString(16).padStart(2, "0")}`).join(""));
  } catch {
    return latin1;
  }
}

/**
 * Reads a Standard MIDI File (formats 0 and 1, in ticks per quarter). A note is as long as from its beginning to its end; one that is begun again before it ended ends
 * there; one that never ends ends with its track. Throws `MalformedFile`. MIDI 1.0, RP-001 Standard MIDI Files 1.0.
 */
export function readMidi(bytes: Uint8Array): MidiFile {
  let file: ReturnType<typeof parseMidi>;
  try {
    file = parseMidi(bytes);
  } catch (error) {
    throw new MalformedFile(`This is not a MIDI file that can be read: ${error instanceof Error ? error.message : String(error)}`);
  }
  const perQuarter = file.header.ticksPerBeat;
  if (perQuarter === undefined || perQuarter <= 0) throw new MalformedFile("The file counts in frames of film, not in ticks of a quarter");
  const scaled = (tick: number) => Math.round((tick * QUARTER) / perQuarter);
  const tempo = new Map<number, number>();
  const meters = new Map<number, { readonly numerator: number; readonly denominator: number }>();
  const parts: MidiPart[] = [];
  for (const events of file.tracks) {
    let at = 0;
    let name = "";
    const open = new Map<string, { readonly tick: number; readonly velocity: number }>();
    const notes = new Map<number, Note[]>();
    const close = (channel: number, pitch: number) => {
      const began = open.get(`${channel}/${pitch}`);
      if (!began) return;
      open.delete(`${channel}/${pitch}`);
      const list = notes.get(channel) ?? [];
      notes.set(channel, list);
      const tick = scaled(began.tick);
      list.push({ tick, ticks: Math.max(SHORTEST, scaled(at) - tick), pitch, velocity: began.velocity });
    };
    for (const event of events) {
      at += event.deltaTime;
      if (event.type === "trackName") name ||= textOf(event.text).trim();
      else if (event.type === "setTempo") tempo.set(scaled(at), 60_000_000 / event.microsecondsPerBeat);
      else if (event.type === "timeSignature") meters.set(scaled(at), { numerator: event.numerator, denominator: event.denominator });
      else if (event.type === "noteOn" && event.velocity > 0) {
        close(event.channel, event.noteNumber);
        open.set(`${event.channel}/${event.noteNumber}`, { tick: at, velocity: event.velocity });
      } else if (event.type === "noteOff" || event.type === "noteOn") close(event.channel, event.noteNumber);
    }
    for (const key of [...open.keys()]) {
      const [channel = 0, pitch = 0] = key.split("/").map(Number);
      close(channel, pitch);
    }
    for (const [channel, list] of [...notes].sort((a, b) => a[0] - b[0])) {
      const base = name || "MIDI";
      parts.push({ name: notes.size > 1 ? `${base} ${channel + 1}` : base, notes: list.sort((a, b) => a.tick - b.tick || a.pitch - b.pitch) });
    }
  }
  return { parts, tempo: tempoOf(tempo), ...meterOf(meters) };
}

/** The document's tempo map starts at zero and stays between 10 and 500 to the minute. Written to 1/1000 of a beat, which microseconds a quarter cannot tell apart. */
function tempoOf(found: ReadonlyMap<number, number>): Session["tempo"] | null {
  if (found.size === 0) return null;
  const points = [...found].sort((a, b) => a[0] - b[0]).map(([tick, bpm]) => ({ tick, bpm: Math.max(10, Math.min(500, Math.round(bpm * 1000) / 1000)), shape: "hold" as const }));
  return points[0]?.tick === 0 ? points : [{ tick: 0, bpm: 120, shape: "hold" }, ...points];
}

const LEGAL_DENOMINATORS = [1, 2, 4, 8, 16, 32] as const;

function meterOf(found: ReadonlyMap<number, { readonly numerator: number; readonly denominator: number }>): Pick<MidiFile, "meter" | "meterLeftOut"> {
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
