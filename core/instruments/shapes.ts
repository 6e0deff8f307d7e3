import { dbToGain, gainToDb } from "../math";
import type { Seconds } from "../units";

/** How far an envelope of the volume falls in its decay and its release. SoundFont 2.04, 8.1.3, 36 and 38. */
export const FALL_DB = 100;

/** The times of an envelope, in seconds. */
export interface EnvelopeTimes {
  readonly delayS: Seconds;
  readonly attackS: Seconds;
  readonly holdS: Seconds;
  readonly decayS: Seconds;
  readonly releaseS: Seconds;
}

/**
 * Gain of an envelope of the volume `at` seconds after its note began: straight up, then falling by equal decibels
 * in equal times to `sustainDb` below its top.
 */
export function heldGain({ delayS, attackS, holdS, decayS }: EnvelopeTimes, sustainDb: number, at: Seconds): number {
  let t = at - delayS;
  if (t < 0) return 0;
  if (t < attackS) return t / attackS;
  t -= attackS + holdS;
  if (t <= 0 || sustainDb === 0) return 1;
  const fallen = decayS > 0 ? (FALL_DB * t) / decayS : FALL_DB;
  return dbToGain(-Math.min(fallen, sustainDb));
}

/** What is left of a gain `since` seconds after it was let go; exactly 0 where it has fallen by `FALL_DB` from 1. */
export function releasedGain(from: number, { releaseS }: EnvelopeTimes, since: Seconds): number {
  const fallen = releaseS > 0 ? (FALL_DB * since) / releaseS : FALL_DB;
  const gain = from * dbToGain(-fallen);
  return gain > dbToGain(-FALL_DB) ? gain : 0;
}

/** The same curve as a source of modulators has: concave, and its mirror. SoundFont 2.04, 8.2.1 and 9.5.3. */
export function concave(x: number): number {
  if (x <= 0) return 0;
  return x >= 1 ? 1 : Math.min(1, (-2 / 96) * gainToDb(1 - x));
}
export const convex = (x: number): number => 1 - concave(1 - x);

/**
 * Height of an envelope of pitch or filter, 0 to 1: its attack is straight in what it moves, its decay and release are
 * straight by themselves. SoundFont 2.04, 8.1.3, generators 25 to 30.
 */
export function heldSweep({ delayS, attackS, holdS, decayS }: EnvelopeTimes, sustain: number, at: Seconds): number {
  let t = at - delayS;
  if (t < 0) return 0;
  if (t < attackS) return convex(t / attackS);
  t -= attackS + holdS;
  if (t <= 0) return 1;
  return Math.max(sustain, decayS > 0 ? 1 - t / decayS : 0);
}

export const releasedSweep = (from: number, { releaseS }: EnvelopeTimes, since: Seconds): number =>
  Math.max(0, from - (releaseS > 0 ? since / releaseS : 1));

/** A triangle that begins at 0 and rises. SoundFont 2.04, 8.1.3, generators 21 to 24. */
export function triangle(cycles: number): number {
  if (cycles < 0) return 0;
  const x = cycles - Math.floor(cycles);
  return x < 0.25 ? 4 * x : x < 0.75 ? 2 - 4 * x : 4 * x - 4;
}
