import { gainToDb } from "../../math";
import type { Db, Ticks } from "../../units";
import type { MidiEvent } from "./events";

/** A value from a tick on. */
export interface MidiPoint {
  readonly tick: Ticks;
  readonly value: number;
}

/** What controllers say of a part's level and place; a list is empty where nothing moves. */
export interface MidiSettings {
  readonly faderDb: Db;
  readonly pan: number;
  readonly fades: readonly MidiPoint[];
  readonly pans: readonly MidiPoint[];
  /** How many controller changes are in it. */
  readonly changes: number;
}

const LOWEST_DB: Db = -144;

/** General MIDI 2, 3.3.2 and 3.3.4: 40 log10(value / 127) dB. */
const levelDb = (value: number): Db => (value === 0 ? LOWEST_DB : 2 * gainToDb(value / 127));
/** General MIDI 2, 3.3.3: 64 is the middle, 0 and 1 are both at the left. */
const panOf = (value: number): number => (Math.max(1, value) - 64) / 63;

/**
 * Volume and expression of a channel as one fader, and its pan: still where they say one thing throughout, else in
 * steps. `ticksOf`: a file's tick as one of the timeline.
 */
export function settingsOf(
  events: readonly MidiEvent[],
  channel: number,
  ticksOf: (tick: number) => Ticks,
): MidiSettings {
  const [fades, pans] = [new Map<Ticks, number>(), new Map<Ticks, number>()];
  let [volume, expression, changes] = [127, 127, 0];
  for (const event of events) {
    if (event.kind !== "controller" || event.channel !== channel) continue;
    changes++;
    const tick = ticksOf(event.tick);
    if (event.number === 10) pans.set(tick, panOf(event.value));
    else {
      if (event.number === 7) volume = event.value;
      else expression = event.value;
      fades.set(tick, Math.max(LOWEST_DB, levelDb(volume) + levelDb(expression)));
    }
  }
  const [fader, pan] = [still(fades), still(pans)];
  return {
    ...{ faderDb: fader ?? 0, pan: pan ?? 0, changes },
    fades: fader === null ? pointsOf(fades) : [],
    pans: pan === null ? pointsOf(pans) : [],
  };
}

/** The one value that there is, 0 where there is none; null where it moves. */
function still(values: ReadonlyMap<Ticks, number>): number | null {
  const different = new Set(values.values());
  return different.size > 1 ? null : ([...different][0] ?? 0);
}

const pointsOf = (values: ReadonlyMap<Ticks, number>): readonly MidiPoint[] =>
  [...values].sort((a, b) => a[0] - b[0]).map(([tick, value]) => ({ tick, value }));
