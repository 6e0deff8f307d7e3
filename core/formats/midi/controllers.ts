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
  /** The pitch wheel, in cents. */
  readonly bends: readonly MidiPoint[];
  /** Controller 1, modulation, in percent. */
  readonly wheel: readonly MidiPoint[];
  /** How many changes of the fader and the pan are in it, and how many of the two wheels. */
  readonly changes: number;
  readonly wheelChanges: number;
  /** How many changes were left out: what moves more often than a lane has points. */
  readonly left: number;
}

/** General MIDI 2, 3.4.4: what a channel has before anything is said. Pan and wheels are in the middle, or at rest. */
const POWER_UP_VOLUME = 100;
/** As many points as a lane of automation has. */
const MOST_POINTS = 100_000;
/** General MIDI 2, 3.4.1: the pitch wheel goes two semitones up and down unless another range is set. */
const RANGE_CENTS = 200;
/** Farthest that an instrument of recordings is bent. */
const MOST_CENTS = 2400;
const LOWEST_DB: Db = -144;

/** General MIDI 2, 3.3.2 and 3.3.4: 40 log10(value / 127) dB. */
const levelDb = (value: number): Db => (value === 0 ? LOWEST_DB : 2 * gainToDb(value / 127));
/** General MIDI 2, 3.3.3: 64 is the middle, 0 and 1 are both at the left. */
const panOf = (value: number): number => (Math.max(1, value) - 64) / 63;

/**
 * Volume and expression of a channel as one fader, and its pan: still where they say one thing throughout, else in
 * steps. The pitch wheel and modulation are steps of their own. `ticksOf`: a file's tick as one of the timeline.
 */
export function settingsOf(
  events: readonly MidiEvent[],
  channel: number,
  ticksOf: (tick: number) => Ticks,
): MidiSettings {
  const [fades, pans, bends, wheel] = [0, 1, 2, 3].map(() => new Map<Ticks, number>()) as [Moves, Moves, Moves, Moves];
  let [volume, expression, bend, rangeCents] = [127, 127, 0, RANGE_CENTS];
  let [changes, wheelChanges] = [0, 0];
  for (const event of events) {
    if (!("channel" in event) || event.channel !== channel) continue;
    const tick = ticksOf(event.tick);
    if (event.kind === "bend" || event.kind === "bend range") {
      if (event.kind === "bend") [bend, wheelChanges] = [event.value, wheelChanges + 1];
      else rangeCents = event.cents;
      bends.set(tick, Math.max(-MOST_CENTS, Math.min(MOST_CENTS, bend * rangeCents)));
    }
    if (event.kind !== "controller") continue;
    if (event.number === 1) {
      wheelChanges++;
      wheel.set(tick, (100 * event.value) / 127);
      continue;
    }
    changes++;
    if (event.number === 10) pans.set(tick, panOf(event.value));
    else {
      if (event.number === 7) volume = event.value;
      else expression = event.value;
      fades.set(tick, Math.max(LOWEST_DB, levelDb(volume) + levelDb(expression)));
    }
  }
  const [fader, pan] = [still(fades), still(pans)];
  const start = ticksOf(0);
  const points = [
    fader === null ? pointsOf(fades, start, levelDb(POWER_UP_VOLUME)) : [],
    pan === null ? pointsOf(pans, start, 0) : [],
    ...[bends, wheel].map((values) => (isAtRest(values) ? [] : pointsOf(values, start, 0))),
  ];
  const kept = points.map((list) => (list.length > MOST_POINTS ? [] : list));
  return {
    ...{ faderDb: fader ?? 0, pan: pan ?? 0, changes, wheelChanges },
    ...{ fades: kept[0] ?? [], pans: kept[1] ?? [], bends: kept[2] ?? [], wheel: kept[3] ?? [] },
    left: points.reduce((sum, list, i) => sum + list.length - (kept[i]?.length ?? 0), 0),
  };
}

/** The value from each tick on. */
type Moves = Map<Ticks, number>;

/** A wheel that never leaves 0. */
const isAtRest = (values: Moves): boolean => [...values.values()].every((v) => v === 0);

/** The one value that there is, 0 where there is none; null where it moves. */
function still(values: ReadonlyMap<Ticks, number>): number | null {
  const different = new Set(values.values());
  return different.size > 1 ? null : ([...different][0] ?? 0);
}

/** With what was there before the first; a value that is there already is not said again. Ticks come in their order. */
function pointsOf(values: ReadonlyMap<Ticks, number>, start: Ticks, before: number): readonly MidiPoint[] {
  const points: MidiPoint[] = [{ tick: start, value: before }];
  let last = before;
  for (const [tick, value] of values) {
    if (value === last) continue;
    last = value;
    if (tick === start) points.length = 0;
    points.push({ tick, value });
  }
  return points;
}
