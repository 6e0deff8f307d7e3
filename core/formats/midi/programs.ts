import type { MidiEvent } from "./events";

/** A program of a bank, counted from 0. Channel 10 is of the bank of drums, 128. General MIDI 1, 2.2. */
export interface MidiProgram {
  readonly bank: number;
  readonly program: number;
}

/** Channel 10, counted from 0, and the bank that its programs are of. */
const DRUMS = 9;
const DRUM_BANK = 128;
/** What plays a part that asks for no program but moves a wheel. General MIDI 2, 3.3.1: after a reset, the first. */
export const FIRST_PROGRAM: MidiProgram = { bank: 0, program: 0 };
/** A channel that asks for more programs than this stays one part. */
const MOST_OF_CHANNEL = 16;

/** The programs that the channels of a track ask for. */
export interface Programs {
  /** By channel and in order: each program once. */
  readonly asked: ReadonlyMap<number, readonly MidiProgram[]>;
  /** By event that asks for one: which. */
  readonly at: ReadonlyMap<MidiEvent, MidiProgram>;
}

export function programsOf(events: readonly MidiEvent[]): Programs {
  const asked = new Map<number, MidiProgram[]>();
  const at = new Map<MidiEvent, MidiProgram>();
  const banks = new Map<number, number>();
  for (const event of events) {
    // SoundFonts have banks of seven bits: what players take is the upper half. SoundFont 2.04, 7.2.
    if (event.kind === "bank" && event.half === "upper") banks.set(event.channel, event.value);
    if (event.kind !== "program") continue;
    const { channel, program } = event;
    const bank = channel === DRUMS ? DRUM_BANK : (banks.get(channel) ?? 0);
    const known = asked.get(channel) ?? [];
    asked.set(channel, known);
    const same = known.find((p) => p.bank === bank && p.program === program);
    const one = same ?? { bank, program };
    if (!same && known.length <= MOST_OF_CHANNEL) known.push(one);
    at.set(event, same ?? known.at(-1) ?? one);
  }
  return { asked, at };
}

/** Whether the notes of a channel are a part for each of its programs. */
export const isSplit = (asked: readonly MidiProgram[]): boolean => asked.length > 1 && asked.length <= MOST_OF_CHANNEL;

/** What a channel without programs asks for. */
export const defaultProgram = (channel: number): MidiProgram | null =>
  channel === DRUMS ? { bank: DRUM_BANK, program: 0 } : null;
