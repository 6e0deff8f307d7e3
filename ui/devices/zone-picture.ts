import { plays } from "../../core/instruments/choose";
import { type Instrument, wholeZone } from "../../core/instruments/instrument";

/** A zone as a rectangle of a picture: keys from left to right, velocities from the bottom up. */
export interface ZoneBox {
  readonly left: number;
  readonly top: number;
  readonly width: number;
  readonly height: number;
  /** How many zones lie on these keys and velocities already. */
  readonly depth: number;
  readonly isHeard: boolean;
  readonly title: string;
}

export interface TriedKey {
  readonly pitch: number;
  readonly velocity: number;
}

/** Of a piano: what lies outside is shown only where nothing else plays. */
const LOWEST = 21,
  HIGHEST = 108;

/** Keys that a picture shows: those that play and one around them, at least two octaves. */
export function keysShown({ zones }: Pick<Instrument, "zones">): readonly [low: number, high: number] {
  const whole = zones.map((z) => wholeZone(z));
  const low = Math.max(LOWEST, Math.min(...whole.map((z) => z.lowKey), 127) - 1);
  const high = Math.min(HIGHEST, Math.max(...whole.map((z) => z.highKey), 0) + 1);
  if (zones.length === 0 || high - low < 24) {
    const middle = zones.length === 0 ? 60 : Math.round((low + high) / 2);
    const from = Math.max(0, Math.min(103, middle - 12));
    return [from, from + 24];
  }
  return [low, high];
}

/** Zones as boxes within a picture of 1 by 1. `nameOf`: of a recording. */
export function zoneBoxes(
  instrument: Instrument,
  heard: readonly TriedKey[],
  nameOf: (sample: string) => string,
): readonly ZoneBox[] {
  const [low, high] = keysShown(instrument);
  const width = high - low + 1;
  const depths = new Map<string, number>();
  return instrument.zones.map((zone) => {
    const z = wholeZone(zone);
    const place = `${z.lowKey} ${z.highKey} ${z.softest} ${z.loudest}`;
    const depth = depths.get(place) ?? 0;
    depths.set(place, depth + 1);
    const softest = Math.max(1, z.softest);
    return {
      left: (z.lowKey - low) / width,
      width: (z.highKey - z.lowKey + 1) / width,
      top: 1 - z.loudest / 127,
      height: (z.loudest - softest + 1) / 127,
      depth,
      // Whichever turn or chance it is.
      isHeard: heard.some((key) => plays({ ...z, turns: 1, chanceFrom: 0, chanceTo: 1 }, { ...key, seed: 1 })),
      title: `${nameOf(zone.sample)}: keys ${keyName(z.lowKey)} to ${keyName(z.highKey)}, velocities ${softest} to ${z.loudest}`,
    };
  });
}

const NAMES = ["C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"] as const;

/** A key's name; C4 is 60. */
export const keyName = (key: number): string => `${NAMES[key % 12] ?? ""}${Math.floor(key / 12) - 1}`;

export const isBlack = (key: number): boolean => [1, 3, 6, 8, 10].includes(key % 12);

/** Semitones of the degrees of a major scale. */
const SCALE = [0, 2, 4, 5, 7, 9, 11, 12] as const;

/**
 * What a digit of the computer's keyboard plays, as degrees of the major scale from a C on; with Shift, a semitone
 * higher. `code`: of the key as it lies on the keyboard. Null: nothing.
 */
export function noteOfKey(code: string, isSharp: boolean, from: number): number | null {
  const degree = SCALE[Number(/^(?:Digit|Numpad)([1-8])$/.exec(code)?.[1] ?? 0) - 1];
  const pitch = degree === undefined ? Infinity : from + degree + (isSharp ? 1 : 0);
  return pitch <= 127 ? pitch : null;
}
