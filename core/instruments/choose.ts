import { cos, dbToGain, PI, sin } from "../math";
import { randomBits, randomUnit } from "../random";
import type { WholeZone } from "./instrument";

/** What chooses zones: a key and a velocity from 1 to 127, and a seed for chance and turns. */
export interface Struck {
  readonly pitch: number;
  readonly velocity: number;
  readonly seed: number;
}

/** Whether a zone plays for a note. Turns come from the note's own seed, so that no other note changes them. */
export const plays = (zone: WholeZone, { pitch, velocity, seed }: Struck): boolean =>
  pitch >= zone.lowKey &&
  pitch <= zone.highKey &&
  velocity >= zone.softest &&
  velocity <= zone.loudest &&
  (zone.turns === 1 || (randomBits(seed, 1) >>> 0) % zone.turns === zone.turn) &&
  (zone.chanceTo - zone.chanceFrom >= 1 || isWithin(randomUnit(seed, 2), zone.chanceFrom, zone.chanceTo));

const isWithin = (x: number, from: number, to: number) => x >= from && x < to;

/** Gain of a fade at a key or a velocity. */
function fadeGain(fade: WholeZone["keyFade"], at: number, byPower: boolean): number {
  if (!fade) return 1;
  const [begin = 0, whole = 0, leave = 127, gone = 127] = fade;
  if (at < begin || at > gone) return 0;
  const part = at < whole ? (at - begin) / (whole - begin) : at > leave ? (gone - at) / (gone - leave) : 1;
  return byPower ? Math.sqrt(part) : part;
}

/**
 * Gains of a zone for a note to each side. A recording of one channel is placed by equal power, one of two is balanced.
 */
export function strikeGains(zone: WholeZone, { pitch, velocity }: Struck, pan: number, isStereo: boolean) {
  const touch = Math.abs(zone.touch);
  const square = (velocity / 127) * (velocity / 127);
  const part = zone.touch < 0 ? 1 - square : square;
  const gain =
    dbToGain(zone.gainDb + zone.keyDb * (pitch - zone.keyDbFrom)) *
    (1 - touch + touch * part) *
    fadeGain(zone.keyFade, pitch, zone.fadesByPower) *
    fadeGain(zone.velocityFade, velocity, zone.fadesByPower);
  const angle = (PI / 4) * (1 + Math.max(-1, Math.min(1, pan)));
  const whole = isStereo ? Math.SQRT2 : 1;
  return [gain * whole * cos(angle), gain * whole * sin(angle)] as const;
}
