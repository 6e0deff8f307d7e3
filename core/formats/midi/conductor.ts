import type { MeterMap, MeterPoint } from "../../time/meter";
import { meterMap } from "../../time/meter";
import type { TempoMap, TempoPoint } from "../../time/tempo";
import { tempoMap } from "../../time/tempo";
import type { Seconds, Ticks } from "../../units";
import { TICKS_PER_QUARTER } from "../../units";
import type { ConductorEvent } from "./write";

/** Tempo, meter and places with names, as sessions and timelines have them. */
export interface Conducted {
  readonly rate: number;
  readonly tempo: readonly TempoPoint[];
  readonly meter: readonly MeterPoint[];
  readonly leadIn: Ticks;
  readonly markers: readonly { readonly name: string; readonly tick: Ticks }[];
}

/** A tempo that moves is written in steps no longer than a sixteenth, and never in more of them than this. */
const RAMP_STEP: Ticks = TICKS_PER_QUARTER / 4;
const MOST_RAMP_STEPS = 4096;
const MICROSECONDS = 1e6;
/** As far as a note may be off because a tempo moves while its step holds: half of what is promised. */
const RAMP_ERROR: Seconds = 0.0005;
/** Of a bar that is cut by the first frame: shorter notes than these are not written as a meter. */
const PICKUP_DENOMINATORS = [4, 8, 16, 32, 64, 128] as const;
const WHOLE: Ticks = 4 * TICKS_PER_QUARTER;

/** A session has meters over 1 to 32; a bar that is cut may need shorter notes. */
interface Meter {
  readonly numerator: number;
  readonly denominator: number;
}

/**
 * Tempo, meter and markers of a stretch, of one tick at least. Tick 0 is the stretch's first. A tempo that
 * holds is the whole number of microseconds a quarter that is nearest; one that moves is steps, each of which ends at
 * the true time to half a microsecond a quarter and carries no error on; between its ends it is off by half a
 * millisecond at most. A bar that the stretch begins inside of is
 * written as long as what is left of it, where notes of a kind can say that. `lead`: so many ticks of silence are in
 * front of all that, in whole bars of the first tempo and meter.
 */
export function conductorEvents(song: Conducted, from: Ticks, to: Ticks, lead: Ticks = 0): readonly ConductorEvent[] {
  const markers = song.markers
    .filter((m) => m.tick >= from && m.tick <= to)
    .map((m): ConductorEvent => ({ kind: "marker", tick: m.tick - from, text: m.name }));
  const events = [...tempoEvents(song, from, to), ...meterEvents(song, from, to), ...markers];
  const later = events.map((e) => ({ ...e, tick: e.tick + lead }));
  return [...(lead > 0 ? silentBars(song, from) : []), ...later];
}

function tempoEvents(song: Conducted, from: Ticks, to: Ticks): readonly ConductorEvent[] {
  const map = tempoMap(song.tempo, song.rate);
  const events: ConductorEvent[] = [];
  const push = (tick: Ticks, secondsPerTick: number) => {
    const microsecondsPerQuarter = Math.round(secondsPerTick * TICKS_PER_QUARTER * MICROSECONDS);
    events.push({ kind: "tempo", tick: tick - from, microsecondsPerQuarter });
    return microsecondsPerQuarter / (TICKS_PER_QUARTER * MICROSECONDS);
  };
  song.tempo.forEach((point, i) => {
    const next = song.tempo[i + 1];
    const begin = Math.max(from, point.tick);
    const end = Math.min(to, next?.tick ?? to);
    if (begin >= end) return;
    if (point.shape === "hold" || !next || next.bpm === point.bpm) {
      push(begin, 60 / (map.bpmAt(begin) * TICKS_PER_QUARTER));
      return;
    }
    const steps = Math.min(MOST_RAMP_STEPS, end - begin, stepsOf(map, begin, end));
    let written = map.toSeconds(begin);
    for (let k = 0, tick = begin; k < steps; k++) {
      const until = begin + Math.round(((end - begin) * (k + 1)) / steps);
      // What a step before was rounded by is made up for here, so that errors do not add up.
      written += push(tick, (map.toSeconds(until) - written) / (until - tick)) * (until - tick);
      tick = until;
    }
  });
  return events;
}

/**
 * Into how many steps a ramp is divided. Within a step of T seconds whose tempo changes by the part d, holding its mean
 * is off by T d / 8 at most.
 */
function stepsOf(map: TempoMap, begin: Ticks, end: Ticks): number {
  const seconds = map.toSeconds(end) - map.toSeconds(begin);
  const [a, b] = [map.bpmAt(begin), map.bpmAt(end - 1)];
  const change = Math.abs(b - a) / Math.min(a, b);
  return Math.max(Math.ceil((end - begin) / RAMP_STEP), Math.ceil(Math.sqrt((seconds * change) / (8 * RAMP_ERROR))));
}

function meterEvents(song: Conducted, from: Ticks, to: Ticks): readonly ConductorEvent[] {
  const map = meterMap(song.meter, song.leadIn);
  const { bar, beat, tick } = map.position(from);
  const isOnBar = beat === 1 && tick === 0;
  const first = map.meterAt(bar);
  const events: ConductorEvent[] = [meterEvent(0, isOnBar ? first : (pickup(nextBar(map, bar) - from) ?? first))];
  if (!isOnBar && nextBar(map, bar) < to) events.push(meterEvent(nextBar(map, bar) - from, map.meterAt(bar + 1)));
  for (const point of song.meter) {
    const at = map.barToTick(point.bar);
    // A change on the very bar that follows the cut one is written already.
    if (at > from && at < to && point.bar > (isOnBar ? bar : bar + 1)) events.push(meterEvent(at - from, point));
  }
  return events;
}

/** Tempo and meter of the silence in front: those of the first frame. */
function silentBars(song: Conducted, from: Ticks): readonly ConductorEvent[] {
  const map = meterMap(song.meter, song.leadIn);
  const bpm = tempoMap(song.tempo, song.rate).bpmAt(from);
  return [
    { kind: "tempo", tick: 0, microsecondsPerQuarter: Math.round((60 / bpm) * MICROSECONDS) },
    meterEvent(0, map.meterAt(map.position(from).bar)),
  ];
}

const nextBar = (map: MeterMap, bar: number): Ticks => map.barToTick(bar + 1);
const meterEvent = (tick: Ticks, { numerator, denominator }: Meter): ConductorEvent => ({
  kind: "meter",
  tick,
  numerator,
  denominator,
});

/** A meter whose bar is so long; null where none is. */
function pickup(ticks: Ticks): Meter | null {
  const denominator = PICKUP_DENOMINATORS.find((d) => Number.isInteger((ticks * d) / WHOLE));
  if (denominator === undefined) return null;
  const numerator = (ticks * denominator) / WHOLE;
  return numerator <= 255 ? { numerator, denominator } : null;
}
