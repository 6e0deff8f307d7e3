import type { Bpm, Frames, Seconds, Ticks } from "../units";
import { TICKS_PER_QUARTER } from "../units";
import { exp, log } from "../math";

/** From `tick` on the tempo is `bpm`; `ramp` moves in a straight line over ticks to the next point's bpm. */
export interface TempoPoint {
  readonly tick: Ticks;
  readonly bpm: Bpm;
  readonly shape: "hold" | "ramp";
}

interface Segment {
  readonly tick: Ticks;
  readonly seconds: Seconds;
  readonly bpm: Bpm;
  /** Change of bpm per tick; 0 where the tempo holds. */
  readonly slope: number;
}

const SECONDS_PER_TICK_AT_1_BPM = 60 / TICKS_PER_QUARTER;

/** A tempo map ready for use: pure functions between ticks, seconds and frames. */
export interface TempoMap {
  toSeconds(tick: Ticks): Seconds;
  toFrames(tick: Ticks): Frames;
  /** The tick nearest to a frame; `toTicks(toFrames(t)) === t` for every whole tick. */
  toTicks(frame: Frames): Ticks;
  /** The place of a frame in ticks, between two whole ones where it lies there. */
  placeOf(frame: Frames): Ticks;
  bpmAt(tick: Ticks): Bpm;
  /** The lowest tempo anywhere. */
  readonly slowest: Bpm;
}

/**
 * Integrates a tempo map exactly. `points` start at tick 0 and rise strictly; bpm 10 to 500, so a tick is
 * never shorter than five frames at 44.1 kHz and rounding to frames can be undone.
 */
export function tempoMap(points: readonly TempoPoint[], rate: number): TempoMap {
  const segments: Segment[] = [];
  let seconds = 0;
  points.forEach((point, i) => {
    const next = points[i + 1];
    const slope = point.shape === "ramp" && next ? (next.bpm - point.bpm) / (next.tick - point.tick) : 0;
    const segment = { tick: point.tick, seconds, bpm: point.bpm, slope };
    segments.push(segment);
    if (next) seconds = secondsWithin(segment, next.tick);
  });
  const first = segments[0];
  if (!first) throw new RangeError("a tempo map has at least one point");

  const find = (isAfter: (s: Segment) => boolean): Segment => {
    let low = 0;
    let high = segments.length - 1;
    while (low < high) {
      const mid = (low + high + 1) >> 1;
      const segment = segments[mid];
      if (segment && isAfter(segment)) high = mid - 1;
      else low = mid;
    }
    return segments[low] ?? first;
  };
  const toSeconds = (tick: Ticks): Seconds =>
    secondsWithin(
      find((s) => s.tick > tick),
      tick,
    );
  const toFrames = (tick: Ticks): Frames => Math.round(toSeconds(tick) * rate);
  return {
    toSeconds,
    toFrames,
    toTicks(frame) {
      const at = frame / rate;
      const segment = find((s) => s.seconds > at);
      const guess = Math.round(ticksWithin(segment, at));
      // Frames are rounded, so the true tick can sit one to either side of the inverse.
      let best = guess;
      for (const tick of [guess - 1, guess + 1]) {
        if (Math.abs(toFrames(tick) - frame) < Math.abs(toFrames(best) - frame)) best = tick;
      }
      return best;
    },
    placeOf(frame) {
      const at = frame / rate;
      return ticksWithin(
        find((s) => s.seconds > at),
        at,
      );
    },
    bpmAt(tick) {
      const segment = find((s) => s.tick > tick);
      return segment.bpm + segment.slope * (tick - segment.tick);
    },
    slowest: points.reduce((least, p) => Math.min(least, p.bpm), Infinity),
  };
}

/**
 * Seconds at a tick inside a segment: the integral of 60 / (960 * bpm(t)), with bpm linear in t. Written as what a held
 * tempo would take, times a factor near 1, so that a ramp that hardly rises does not divide nothing by nothing.
 */
function secondsWithin(segment: Segment, tick: Ticks): Seconds {
  const ticks = tick - segment.tick;
  return (
    segment.seconds +
    ((ticks * SECONDS_PER_TICK_AT_1_BPM) / segment.bpm) * log1pOver((segment.slope * ticks) / segment.bpm)
  );
}

function ticksWithin(segment: Segment, at: Seconds): Ticks {
  const held = (at - segment.seconds) / SECONDS_PER_TICK_AT_1_BPM;
  return segment.tick + held * segment.bpm * expm1Over(held * segment.slope);
}

/** Below this the series is exact to the last bits with the terms it has, and above it nothing cancels that matters. */
const SMALL = 1e-3;

/** log(1 + x) / x. */
const log1pOver = (x: number): number =>
  Math.abs(x) < SMALL ? 1 - x * (1 / 2 - x * (1 / 3 - x * (1 / 4 - x * (1 / 5 - x / 6)))) : log(1 + x) / x;

/** (e^x - 1) / x. */
const expm1Over = (x: number): number =>
  Math.abs(x) < SMALL ? 1 + (x / 2) * (1 + (x / 3) * (1 + (x / 4) * (1 + (x / 5) * (1 + x / 6)))) : (exp(x) - 1) / x;

/** Frames that so many quarters last from a frame of the timeline on. */
export const framesOfBeats = (tempo: TempoMap, from: Frames, quarters: number): Frames =>
  tempo.toFrames(tempo.placeOf(from) + quarters * TICKS_PER_QUARTER) - from;
